import { DateTime } from 'luxon';
import { counted } from '@peatmoor/core';
import type { Logger } from 'pino';
import { now as clockNow } from '../clock';
import type { Config } from '../config';
import { findAll } from '../store/rows';
import { inRawTransaction, type Store } from '../store/store';
import type { Mailer } from './channels/email';
import { sendTo } from './guarded';
import { choicesOf } from './reaching';

const WEEK_LOOK_MS = 60_000;
const TRY_AGAIN_MS = 3_600_000;
/** Monday at eight, by the clock of the workspace. */
const WEEKDAY = 1;
const HOUR = 8;

/** The next Monday at eight by the clock of a zone, after a time (epoch ms). */
export function nextWeekly(zone: string, now: number): number {
  const local = DateTime.fromMillis(now, { zone });
  const day = local
    .startOf('week')
    .plus({ days: WEEKDAY - 1 })
    .set({ hour: HOUR });
  return (day > local ? day : day.plus({ weeks: 1 })).toMillis();
}

interface Parts {
  config: Pick<Config, 'life'>;
  store: Store;
  mailer: Mailer;
  /** True while what is acknowledged is kept and rules are worked. */
  isWell: () => Promise<boolean>;
  publicUrl: () => string;
  log: Logger;
}

/**
 * A sign of life: an address is called every so often while all is well, so that whoever waits there notices when it ends; and who
 * wants it gets a mail every week that says that all is well.
 */
export function startLife({ config, store, mailer, isWell, publicUrl, log }: Parts): {
  stop(): Promise<void>;
} {
  let stopped = false;
  let under: Promise<unknown> = Promise.resolve();
  const later = (work: () => Promise<void>): void => {
    under = under
      .then(() => (stopped ? undefined : work()))
      .catch((error: Error) => log.debug({ err: error }, 'a sign of life failed'));
  };
  const call = async (): Promise<void> => {
    if (config.life === null || !(await isWell())) return;
    // Set by whoever runs the service: it may lie inside the network.
    const { status } = await sendTo(config.life.url, {
      method: 'GET',
      headers: { 'user-agent': 'Peatmoor' },
      body: '',
      allowPrivate: true,
    });
    if (status >= 400) log.warn({ status }, 'the sign of life was answered with an error');
  };
  /** True where it is this service that writes to somebody this week. */
  const claim = (name: string, next: number, now: number): Promise<boolean> =>
    inRawTransaction(store, async (connection) => {
      const [row] = (await connection.query(
        "SELECT nextAt FROM alertPaces WHERE channel = 'weekly' AND recipient = ? FOR UPDATE",
        [name],
      )) as { nextAt: number }[];
      if (row !== undefined && Number(row.nextAt) > now) return false;
      await connection.query(
        "REPLACE INTO alertPaces (channel, recipient, nextAt, burst) VALUES ('weekly', ?, ?, 0)",
        [name, next],
      );
      // Whoever just asked for it hears next week.
      return row !== undefined;
    });
  const weekly = async (): Promise<void> => {
    const now = clockNow();
    const people = (await findAll(store.models.users)).filter(
      ({ alertChoices, email }) => email !== null && choicesOf(alertChoices).weekly,
    );
    for (const { id, email } of people)
      for (const { workspaceId, role } of await findAll(store.models.memberships, {
        where: { userId: id },
      })) {
        if (role === 'none') continue;
        const [workspace] = await findAll(store.models.workspaces, { where: { id: workspaceId } });
        const name = `${id}/${workspaceId}`;
        if (workspace === undefined || !(await claim(name, nextWeekly(workspace.zone, now), now))) continue;
        const week = now - 7 * 86_400_000;
        const [row] = (await store.withConnection((connection) =>
          connection.query(
            `SELECT (SELECT COUNT(*) FROM devices WHERE workspaceId = ?) AS devices, (SELECT COUNT(*) FROM events WHERE workspaceId = ? AND closedAt IS NULL) AS open,
              (SELECT COUNT(*) FROM events WHERE workspaceId = ? AND openedAt > ?) AS events, (SELECT COUNT(*) FROM alerts WHERE workspaceId = ? AND state = 'failed' AND queuedAt > ?) AS failed`,
            [workspaceId, workspaceId, workspaceId, week, workspaceId, week],
          ),
        )) as Record<'devices' | 'open' | 'events' | 'failed', number>[];
        const { devices, open, events, failed } = row!;
        await mailer
          .send({
            to: email!,
            subject: `${workspace.title}: ${Number(open) === 0 ? 'all is well' : `${counted(Number(open), 'event')} open`}`,
            text: [
              `${workspace.title} is watched: ${counted(Number(devices), 'device')}.`,
              `In the last seven days ${counted(Number(events), 'event')} opened; ${Number(open) === 0 ? 'none is open' : `${Number(open)} open now`}.`,
              Number(failed) === 0
                ? 'Every alert went out.'
                : `${counted(Number(failed), 'alert')} could not be sent: see ${publicUrl()}/events`,
              '',
              `This comes every Monday, so that you notice when it stops. Choose otherwise at ${publicUrl()}/alerts`,
            ].join('\n'),
            headers: { 'Auto-Submitted': 'auto-generated' },
          })
          .catch(async (error: Error) => {
            log.warn({ err: error }, 'a weekly mail could not be sent; it is tried again');
            await store.withConnection((connection) =>
              connection.query(
                "UPDATE alertPaces SET nextAt = ? WHERE channel = 'weekly' AND recipient = ?",
                [now + TRY_AGAIN_MS, name],
              ),
            );
          });
      }
  };
  const timers = [
    setInterval(() => later(weekly), WEEK_LOOK_MS),
    ...(config.life === null ? [] : [setInterval(() => later(call), config.life.everyMs)]),
  ];
  if (config.life !== null) later(call);
  return {
    async stop() {
      stopped = true;
      for (const timer of timers) clearInterval(timer);
      await under;
    },
  };
}
