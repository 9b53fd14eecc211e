import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';

/** Debian packages of a cluster: unpacked privately, so that none of their system services starts. */
const PACKAGES = [
  'mariadb-server',
  'galera-4',
  'rsync',
  'libpopt0',
  'libxxhash0',
  'redis-server',
  'redis-tools',
  'liblzf1',
  'libjemalloc2',
  'haproxy',
  'liblua5.3-0',
  'libopentracing-c-wrapper0',
  'libopentracing1',
] as const;

/** Programs of the cluster by their paths, and the environment in which they find their libraries. */
export interface Programs {
  galera: string;
  redis: string;
  balancer: string;
  environment: NodeJS.ProcessEnv;
}

/** Downloads and unpacks what is missing; once. Throws with the command that helps. */
export function unpackPrograms(folder: string, say: (text: string) => void): Programs {
  const root = path.join(folder, 'root');
  const mark = path.join(folder, 'unpacked');
  if (!fs.existsSync(mark)) {
    say('Downloading and unpacking Galera, Redis and HAProxy from Debian (about 10 MB) …');
    fs.mkdirSync(path.join(folder, 'packages'), { recursive: true });
    const got = spawnSync('apt-get', ['download', '-q', ...PACKAGES], {
      cwd: path.join(folder, 'packages'),
      encoding: 'utf8',
    });
    if (got.status !== 0)
      throw new Error(
        `Debian's packages could not be downloaded: ${(got.stderr ?? '').trim().split('\n').at(-1) ?? got.error?.message}. Run: sudo apt-get update`,
      );
    for (const file of fs.readdirSync(path.join(folder, 'packages'))) {
      const done = spawnSync('dpkg-deb', ['-x', path.join(folder, 'packages', file), root], {
        encoding: 'utf8',
      });
      if (done.status !== 0) throw new Error(`${file} could not be unpacked: ${done.stderr}`);
    }
    fs.writeFileSync(mark, '');
  }
  const libraries = fs
    .readdirSync(path.join(root, 'usr/lib'))
    .filter((name) => name.endsWith('-linux-gnu') || name.includes('-linux-gnu'))
    .map((name) => path.join(root, 'usr/lib', name));
  return {
    galera: path.join(root, 'usr/lib/galera/libgalera_smm.so'),
    redis: path.join(root, 'usr/bin/redis-server'),
    balancer: path.join(root, 'usr/sbin/haproxy'),
    environment: {
      ...process.env,
      PATH: `${path.join(root, 'usr/bin')}:/usr/sbin:${process.env.PATH}`,
      LD_LIBRARY_PATH: libraries.join(':'),
    },
  };
}
