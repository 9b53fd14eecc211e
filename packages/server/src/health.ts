import type { BackupState } from './backup/schedule';
import type { Recent } from './history/recent';
import { readersBehind, type Reader } from './journal/reader';
import { countSetAside } from './journal/setAside';
import type { JournalWriter } from './journal/writer';
import type { Store } from './store/store';
import type { DiskWatch } from './watch/disk';
import { troublesOf, type Watched } from './watch/troubles';
import { now as clockNow, troubleOfClock } from './clock';

/** How long the database may take before it counts as not answering, in ms. */
const PATIENCE_MS = 900;

interface Parts {
  store: Store;
  journal: JournalWriter;
  recent: Recent;
  mqtt(): { port: number | null; sessions: number };
  pages(): number;
  nodes(): Health['nodes'];
  /** What the service looks at of itself. */
  watched: Watched;
}

/** What balancers and people are told of the service; `ok` false makes it a 503. Answers within a second. */
export interface Health {
  ok: boolean;
  database: 'answers' | 'does not answer';
  queue: { readings: number };
  unfolded: { readings: number; ageMs: number };
  behind: Record<Reader, number> | null;
  /** What could not be handled and was set aside; see the table `setAside`. */
  setAside: { count: number; newest: { what: string; place: string; reason: string } | null } | null;
  /** What is wrong with the clock, in words. */
  clock: string;
  mqtt: { port: number | null; sessions: number };
  pages: number;
  /** Services on this database that give signs of life, this one too; `draining`: it takes nothing new, and is to be left. */
  nodes: { alive: number; draining: boolean };
  backup: (Omit<BackupState, 'problem'> & { failed: boolean }) | null;
  disk: ReturnType<DiskWatch['state']>;
  certificate: { endsAt: number; daysLeft: number } | null;
  /** What is wrong with the service itself; the words are for its owners. */
  troubles: { what: string; state: string }[];
}

export function createHealth({
  store,
  journal,
  recent,
  mqtt,
  pages,
  nodes,
  watched,
}: Parts): () => Promise<Health> {
  // Asked for by many at once, looked up once.
  let looking: Promise<Pick<Health, 'behind' | 'setAside'> | null> | null = null;
  const look = (): Promise<Pick<Health, 'behind' | 'setAside'> | null> =>
    (looking ??= store
      .withConnection(async (connection) => ({
        behind: await readersBehind(connection),
        setAside: await countSetAside(connection),
      }))
      .catch(() => null)
      .finally(() => (looking = null)));
  const late = (): Promise<null> =>
    new Promise((resolve) => setTimeout(() => resolve(null), PATIENCE_MS).unref());
  return async () => {
    const { queued, down } = journal.status();
    const found = down ? null : await Promise.race([look(), late()]);
    const { readings, ageMs } = recent.status(clockNow());
    return {
      ok: found !== null && !nodes().draining,
      database: found !== null ? 'answers' : 'does not answer',
      queue: { readings: queued },
      unfolded: { readings, ageMs },
      behind: found?.behind ?? null,
      setAside: found?.setAside ?? null,
      clock: troubleOfClock() ?? 'right',
      mqtt: mqtt(),
      pages: pages(),
      nodes: nodes(),
      backup: backupOf(watched.backups()),
      disk: watched.disk(),
      certificate: certificateOf(watched.certificateEnds()),
      troubles: troublesOf(watched).map(({ what, state }) => ({ what, state })),
    };
  };
}

function certificateOf(endsAt: number | null): Health['certificate'] {
  return endsAt === null ? null : { endsAt, daysLeft: Math.floor((endsAt - clockNow()) / 86_400_000) };
}

/** Anybody may ask for the health: paths and errors are not said. */
function backupOf(state: BackupState | null): Health['backup'] {
  if (state === null) return null;
  const { problem, ...rest } = state;
  return { ...rest, failed: problem !== '' };
}
