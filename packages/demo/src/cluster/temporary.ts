import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { createCluster, type Cluster, type ClusterOptions } from './cluster';
import { freePorts } from './processes';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../../..');
/** What a cluster on this machine is made of. */
export const PLACES = {
  root,
  programs: path.join(root, 'node_modules/.cache/peatmoor-cluster'),
  serviceProgram: path.join(root, 'packages/server/dist/main.js'),
  balancerFile: path.join(root, 'deploy/balancer.cfg'),
  host: '127.0.0.1',
};

/** Starts a cluster in a folder of its own, does something with it, and ends it. Its logs stay where that gives false or fails. */
export async function withCluster(
  environment: Record<string, string>,
  say: (text: string) => void,
  work: (cluster: Cluster, url: string) => Promise<boolean>,
  more: Pick<ClusterOptions, 'apart' | 'shiftsClocks'> = {},
): Promise<boolean> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'peatmoor-cluster-'));
  fs.chmodSync(folder, 0o755);
  const [httpPort, mqttPort] = (await freePorts(2)) as [number, number];
  const cluster = await createCluster({ ...PLACES, ...more, folder, httpPort, mqttPort, environment, say });
  let isWell = false;
  try {
    await cluster.start();
    isWell = await work(cluster, `http://127.0.0.1:${httpPort}`);
  } finally {
    await cluster.stop();
    if (isWell) fs.rmSync(folder, { recursive: true, force: true });
    else say(`The logs are in ${folder}`);
  }
  return isWell;
}
