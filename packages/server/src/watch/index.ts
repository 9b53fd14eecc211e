import { createHash } from 'node:crypto';
import { hostname } from 'node:os';
import type { Logger } from 'pino';
import { VERSION } from '../version';
import { whereaboutsOf } from '../backup/address';
import { startBackups } from '../backup/schedule';
import { endOf } from '../certificate/renewing';
import { troubleOfClock } from '../clock';
import { settingsOf, type Config } from '../config';
import type { ManagedDatabase } from '../database/managed';
import type { JournalWriter } from '../journal/writer';
import { standing } from '../standing';
import { startDiskWatch } from './disk';
import { watchSetAside, watchUnreached } from './aside';
import { startTelling, troublesOf, type Telling, type Watched } from './troubles';

/** Work that has failed in a row for so long stands still, in ms. */
const STANDS_MS = Number(process.env.TESTS_STANDS_SECONDS ?? 300) * 1000;

interface Parts extends Omit<Telling, 'log' | 'place'> {
  config: Config;
  /** Null for one elsewhere. */
  database: ManagedDatabase | null;
  journal: Pick<JournalWriter, 'refuse'>;
  renewing: { endsAt(): number | null };
  log: Logger;
}

/** What the service looks at of itself, the backups that it makes, and telling what is wrong. */
export interface Watching {
  watched: Watched;
  stop(): Promise<void>;
}

export function startWatching({ config, database, journal, renewing, log, ...telling }: Parts): Watching {
  const { dataFolder, databaseUrl, backupPassphrase: passphrase, tls } = config;
  // A database elsewhere has a disk of its own.
  const disk = startDiskWatch(dataFolder, (full) => database !== null && journal.refuse(full), log);
  const at = database ?? whereaboutsOf(databaseUrl!);
  const made = { at, dataFolder, version: VERSION, settings: settingsOf(process.env), passphrase };
  const backups = config.backups === null ? null : startBackups(config.backups, made, log);
  const givenEnds = endOf(tls);
  const aside = watchSetAside(telling.store);
  const unreached = watchUnreached(telling.store);
  const watched: Watched = {
    disk: disk.state,
    backups: () => backups?.state() ?? null,
    certificateEnds: () => renewing.endsAt() ?? givenEnds,
    clock: troubleOfClock,
    missingTables: telling.store.missingTables,
    setAside: aside.state,
    unreached: unreached.state,
    standing: () => standing(STANDS_MS),
  };
  const place =
    database === null ? ` ${createHash('sha256').update(hostname()).digest('hex').slice(0, 8)}` : '';
  const told = startTelling({ ...telling, log, place }, () => troublesOf(watched));
  return {
    watched,
    async stop() {
      disk.stop();
      aside.stop();
      unreached.stop();
      await told.stop();
      await backups?.stop();
    },
  };
}
