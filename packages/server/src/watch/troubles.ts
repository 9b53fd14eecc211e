import { counted, showBytes, showDuration } from '@peatmoor/core';
import type { Logger } from 'pino';
import { NO_MAIL, type Mailer } from '../alerts/channels/email';
import { showTime } from '../backup/words';
import type { BackupState } from '../backup/schedule';
import { now as clockNow } from '../clock';
import { findAll } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import type { DiskWatch } from './disk';
import { firstWorkspace } from '../auth/accounts';
import type { Standing } from '../standing';
import { isDamaged, MEND, tableIn } from '../store/lost';

const LOOK_MS = 15_000;
const DAY_MS = 86_400_000;
/** A certificate that ends so soon was not renewed by itself. */
const ENDING_MS = 14 * DAY_MS;
/** A trouble must last so long before anybody is written to. */
const LASTS_MS = 5000;

const TROUBLES = ['disk', 'backup', 'certificate', 'clock', 'tables', 'work', 'readings', 'alerts'] as const;

/** Something that is wrong with the service itself, and what to do. */
export interface Trouble {
  what: (typeof TROUBLES)[number];
  /** bad: something is lost or refused now; look: it will be. */
  state: 'look' | 'bad';
  found: string;
  remedy: string;
}

export interface Watched {
  disk: DiskWatch['state'];
  backups: () => BackupState | null;
  /** When the certificate ends, epoch ms; null for none. */
  certificateEnds: () => number | null;
  clock: () => string | null;
  /** Tables that were missing when the service started. */
  missingTables: readonly string[];
  /** How many pieces were set aside within the last week, and the newest in words. */
  setAside: () => { count: number; newest: string };
  /** People to whom no alert gets through, by no way. */
  unreached: () => { people: number; workspaces: readonly string[] };
  /** What has stood still for some time. */
  standing: () => readonly Standing[];
}

/** What is wrong with the service itself just now. */
export function troublesOf({
  disk,
  backups,
  certificateEnds,
  clock,
  missingTables,
  setAside,
  unreached,
  standing,
}: Watched): Trouble[] {
  const now = clockNow();
  const troubles: Trouble[] = [];
  const { state, free, fullAt } = disk();
  const room =
    'Make room, move the data folder to a larger disk, or keep readings of some datastreams for a shorter time.';
  if (state === 'full')
    troubles.push({
      what: 'disk',
      state: 'bad',
      found: `The disk is full but for ${showBytes(free)}: readings are refused until there is room.`,
      remedy: room,
    });
  else if (state !== 'good')
    troubles.push({
      what: 'disk',
      state: state === 'low' ? 'bad' : 'look',
      found: `${showBytes(free)} are free on the disk${fullAt === null ? '' : `; as it goes on it is full on ${showTime(fullAt).slice(0, 10)}`}.`,
      remedy: room,
    });
  const backup = backups();
  if (backup !== null && (backup.late || backup.problem !== ''))
    troubles.push({
      what: 'backup',
      state: backup.late ? 'bad' : 'look',
      found: `${backup.newestAt === null ? 'There is no backup yet' : `The newest backup is of ${showTime(backup.newestAt)}`}${backup.problem === '' ? '' : `: ${backup.problem.replace(/\.$/, '')}`}.`,
      remedy: 'See that the folder of PEATMOOR_BACKUP_FOLDER is there, can be written to and has room.',
    });
  const ends = certificateEnds();
  if (ends !== null && ends - now < ENDING_MS)
    troubles.push({
      what: 'certificate',
      state: ends < now ? 'bad' : 'look',
      found: `The certificate ${ends < now ? 'ended' : 'ends'} on ${showTime(ends).slice(0, 10)}.`,
      remedy:
        'Renew it: one that was made here by starting the service once more, another by whoever gave it, then start the service.',
    });
  const wrong = clock();
  if (wrong !== null)
    troubles.push({
      what: 'clock',
      state: 'bad',
      found: wrong,
      remedy: 'Set the clock of the computer, or let it be set by NTP.',
    });
  const known = new Set(missingTables);
  if (known.size > 0)
    troubles.push({
      what: 'tables',
      state: 'bad',
      found: `${counted(known.size, 'table is', 'tables are')} missing in the database: ${[...known].join(', ')}. What needs ${known.size === 1 ? 'it' : 'them'} stands still.`,
      remedy: MEND,
    });
  for (const { work, sinceMs, error } of standing()) {
    const { message } = error as Error;
    const table = isDamaged(error) ? tableIn(message) : null;
    troubles.push({
      what: 'work',
      state: 'bad',
      found: `${work} has stood still for ${showDuration(sinceMs)}: ${table === null ? message.slice(0, 200) : `the table ${table} is missing or damaged`}.`,
      remedy: table === null ? 'See the log for why; starting the service again may help.' : MEND,
    });
    break;
  }
  const aside = setAside();
  if (aside.count > 0)
    troubles.push({
      what: 'readings',
      state: 'look',
      found: `${counted(aside.count, 'piece')} of the records could not be read within the last week and ${aside.count === 1 ? 'was' : 'were'} set aside: ${aside.newest}.`,
      remedy:
        'The bytes are kept in the table setAside, and everything else goes on. Keep a backup; the disk may be failing.',
    });
  const { people, workspaces } = unreached();
  if (people > 0)
    troubles.push({
      what: 'alerts',
      state: 'bad',
      found: `Alerts get through to ${counted(people, 'person', 'people')} of ${workspaces.slice(0, 5).join(', ')} by no way.`,
      remedy:
        'The events that they were about say why. See that the mail server takes mails, and that they have a phone or an email under Your alerts.',
    });
  return troubles;
}

/** What owners were told of, and not yet that it is over. */
async function toldOf(store: Store, place: string): Promise<Map<string, string>> {
  const rows = await store.withConnection(
    async (connection) =>
      (await connection.query(
        "SELECT name, secret FROM serviceSecrets WHERE name LIKE 'service %' AND secret <> ''",
      )) as { name: string; secret: string }[],
  );
  return new Map(
    rows.flatMap(({ name, secret }) =>
      name.endsWith(place)
        ? [[name.slice('service '.length, name.length - place.length), secret] as const]
        : [],
    ),
  );
}

export interface Telling {
  store: Store;
  mailer: Mailer;
  publicUrl: () => string;
  log: Logger;
  /** Stands for this computer where services on several share a database: each has a clock and a disk of its own. Empty for one alone. */
  place: string;
}

/**
 * Tells whoever made the first workspace, and its other owners, of what is wrong with the service itself: once when it begins, once when
 * it is over. Of several services one tells.
 */
export function startTelling(
  { store, mailer, publicUrl, log, place }: Telling,
  troubles: () => Trouble[],
): { stop(): Promise<void> } {
  const since = new Map<string, number>();
  let under: Promise<unknown> = Promise.resolve();
  /** Notes that a trouble is told of, or over; true where it is this service that does so. */
  const claim = (what: string, state: string): Promise<boolean> =>
    inRawTransaction(store, async (connection) => {
      const name = `service ${what}${place}`;
      await connection.query('INSERT IGNORE INTO serviceSecrets (name, secret) VALUES (?, ?)', [name, '']);
      const { affectedRows } = (await connection.query(
        'UPDATE serviceSecrets SET secret = ? WHERE name = ? AND secret <> ?',
        [state, name, state],
      )) as { affectedRows: number };
      return affectedRows === 1;
    });
  /** False where nobody could be reached just now. */
  const write = async (subject: string, text: string): Promise<boolean> => {
    const workspaceId = await firstWorkspace(store);
    if (workspaceId === null) return true;
    const owners = await findAll(store.models.memberships, { where: { workspaceId, role: 'owner' } });
    const people = await findAll(store.models.users, { where: { id: owners.map(({ userId }) => userId) } });
    const addresses = people.flatMap(({ email }) => email ?? []);
    let failed = 0;
    for (const to of addresses)
      await mailer
        .send({
          to,
          subject: `Peatmoor: ${subject}`,
          text: `${text}\n\n${publicUrl()}`,
          headers: { 'Auto-Submitted': 'auto-generated' },
        })
        .catch((error: Error) => {
          if (error.message === NO_MAIL) return;
          failed++;
          log.warn({ err: error }, 'a mail about the service could not be sent');
        });
    return failed === 0 || failed < addresses.length;
  };
  /** Tells where it is this service that does so; what could not be told is told when it is looked at next. */
  const tell = async (what: string, before: string, state: string, mail: [string, string]): Promise<void> => {
    if ((await claim(what, state)) && !(await write(...mail))) await claim(what, before);
  };
  const look = async (): Promise<void> => {
    const now = clockNow();
    const found = new Map(troubles().map((one) => [one.what, one]));
    const told = await toldOf(store, place);
    for (const what of TROUBLES) {
      const trouble = found.get(what);
      if (trouble === undefined) {
        since.delete(what);
        const over = `What was wrong with the ${what} of the service is over.`;
        if (told.has(what)) await tell(what, told.get(what)!, '', [`${what}: all is well again`, over]);
        continue;
      }
      if (!since.has(what)) since.set(what, now);
      if (now - since.get(what)! < LASTS_MS || told.get(what) === trouble.state) continue;
      log.warn({ what, found: trouble.found }, 'something is wrong with the service itself');
      const subject = `${what}: ${trouble.found}`.slice(0, 150);
      await tell(what, told.get(what) ?? '', trouble.state, [
        subject,
        `${trouble.found}\n\n${trouble.remedy}`,
      ]);
    }
  };
  const timer = setInterval(() => {
    under = under
      .then(look)
      .catch((error: Error) => log.debug({ err: error }, 'the service looks at itself later'));
  }, LOOK_MS);
  return {
    async stop() {
      clearInterval(timer);
      await under;
    },
  };
}
