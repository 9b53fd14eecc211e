import { DateTime } from 'luxon';
import type { UnitSystem } from '@peatmoor/core';
import { USUAL_ALERT_CHOICES, type AlertChoices, type Severity } from '@peatmoor/contract';
import type { Connection } from 'mariadb';
import { now as clockNow } from '../clock';
import type { AlertRow } from '../store/models';
import type { Recipient } from './channels';
import { mannerOf, type Manner, type Reader } from './manner';

/** Somebody who is to be told, by one channel. */
export interface Reached {
  channel: string;
  recipient: string;
  userId: number | null;
  /** Not before then, epoch ms. */
  at: number;
  state: AlertRow['state'];
  /** Why it does not go out, where it does not. */
  why: string;
  /** How it is written for them. */
  manner: Manner;
}

interface MemberRow {
  userId: number;
  role: string;
  email: string;
  name: string;
  alertChoices: string;
  hasPhone: number;
  units: UnitSystem;
  choices: string;
}

/** How a person is alerted, with what they did not choose as usual. */
export function choicesOf(stored: Partial<AlertChoices>): AlertChoices {
  return {
    ...USUAL_ALERT_CHOICES,
    ...stored,
    channels: { ...USUAL_ALERT_CHOICES.channels, ...stored.channels },
    ways: { ...USUAL_ALERT_CHOICES.ways, ...stored.ways },
  };
}

/** Whether a way leads to somebody at all: pages may be open whenever. */
export const isUsable = (way: string, { email, hasPhone }: { email: string; hasPhone: number }): boolean =>
  way === 'push' ? Number(hasPhone) > 0 : way === 'email' ? email !== '' : true;

/** When quiet hours that a time lies in end, epoch ms; null where it lies in none. */
export function quietUntil(quiet: AlertChoices['quiet'], zone: string, now: number): number | null {
  if (quiet === null || quiet.from === quiet.to) return null;
  const local = DateTime.fromMillis(now, { zone });
  const minutes = local.hour * 60 + local.minute;
  const inside =
    quiet.from < quiet.to
      ? minutes >= quiet.from && minutes < quiet.to
      : minutes >= quiet.from || minutes < quiet.to;
  if (!inside) return null;
  const day = minutes < quiet.to ? local : local.plus({ days: 1 });
  return day
    .startOf('day')
    .set({ hour: Math.floor(quiet.to / 60), minute: quiet.to % 60 })
    .toMillis();
}

/** What was read once for several events of one transaction: a storm asks no more than one event. */
export type Read = Map<string, Promise<unknown>>;

export function once<T>(read: Read, name: string, work: () => Promise<T>): Promise<T> {
  const known = read.get(name) as Promise<T> | undefined;
  if (known !== undefined) return known;
  const fresh = work();
  read.set(name, fresh);
  return fresh;
}

/** Everybody that a list of recipients comes to, and how each wants to be reached. */
export async function reach(
  connection: Connection,
  read: Read,
  {
    workspaceId,
    severity,
    recipients,
  }: { workspaceId: number; severity: Severity; recipients: readonly Recipient[] },
): Promise<Reached[]> {
  const now = clockNow();
  const members = await once(
    read,
    `members ${workspaceId}`,
    async () =>
      (await connection.query(
        "SELECT m.userId, m.role, COALESCE(u.email, '') AS email, u.name, u.alertChoices, u.units, u.choices, EXISTS (SELECT 1 FROM pushPlaces p WHERE p.userId = u.id) AS hasPhone FROM memberships m JOIN users u ON u.id = m.userId WHERE m.workspaceId = ?",
        [workspaceId],
      )) as MemberRow[],
  );
  const zone = await once(read, `zone ${workspaceId}`, async () => {
    const [row] = (await connection.query('SELECT zone FROM workspaces WHERE id = ?', [workspaceId])) as {
      zone: string;
    }[];
    return row?.zone ?? 'UTC';
  });
  const manners = new Map<string, Manner>();
  /** People who read alike share one. */
  const manner = (reader: Reader): Manner => {
    const name = JSON.stringify([reader?.units, reader?.choices]);
    const known = manners.get(name) ?? mannerOf(reader, zone);
    manners.set(name, known);
    return known;
  };
  const people = new Map<number, MemberRow>();
  const result = new Map<string, Reached>();
  const add = (one: Reached): void => {
    const key = `${one.channel} ${one.recipient}`;
    if (!result.has(key)) result.set(key, one);
  };
  const addresses: string[] = [];
  for (const { channel, to } of recipients) {
    if (channel === 'person')
      for (const member of members) if (String(member.userId) === to) people.set(member.userId, member);
    if (channel === 'role')
      for (const member of members) if (member.role === to) people.set(member.userId, member);
    if (channel === 'webhook')
      add({ channel, recipient: to, userId: null, at: now, state: 'waiting', why: '', manner: manner(null) });
    if (channel !== 'email') continue;
    // An address of somebody here is that person.
    const member = members.find(({ email }) => email.toLowerCase() === to.toLowerCase());
    if (member === undefined) addresses.push(to);
    else people.set(member.userId, member);
  }
  for (const { userId, email, alertChoices, hasPhone, units, choices: reads } of people.values()) {
    const choices = choicesOf(JSON.parse(alertChoices || '{}') as Partial<AlertChoices>);
    const paused = choices.pausedUntil !== null && choices.pausedUntil > now;
    const quiet = severity === 'urgent' ? null : quietUntil(choices.quiet, zone, now);
    const usable = (way: string): boolean => isUsable(way, { email, hasPhone });
    const chosen = choices.channels[severity];
    // Where nothing of what they chose leads to them, what stands in does.
    const instead = chosen.length > 0 && !chosen.some(usable) ? choices.ways.order.find(usable) : undefined;
    const channels = instead === undefined ? chosen : [instead];
    for (const channel of channels) {
      // Nobody misses a phone that is not there while another way reaches them.
      const phoneless = channel === 'push' && Number(hasPhone) === 0;
      const mailless = channel === 'email' && email === '';
      if (phoneless && channels.includes('email') && email !== '') continue;
      if (mailless && channels.length > 1) continue;
      add({
        channel,
        recipient: channel === 'email' ? email : String(userId),
        userId,
        manner: manner({ units, choices: reads }),
        // What a pause keeps back is looked at again when it is over.
        at: paused ? choices.pausedUntil! : (quiet ?? now),
        state: paused ? 'muted' : phoneless || mailless ? 'failed' : 'waiting',
        why: paused
          ? 'This person has paused all alerts.'
          : phoneless
            ? 'No phone or browser of this person takes alerts. Add one under Your alerts.'
            : mailless
              ? 'This person has no email. They can add one under Settings.'
              : quiet !== null
                ? 'Quiet hours of this person.'
                : '',
      });
    }
  }
  if (addresses.length > 0) {
    const agreed = (await connection.query(
      'SELECT email FROM addresses WHERE workspaceId = ? AND confirmedAt IS NOT NULL AND email IN (?)',
      [workspaceId, addresses],
    )) as { email: string }[];
    const known = new Set(agreed.map(({ email }) => email.toLowerCase()));
    for (const to of addresses) {
      const confirmed = known.has(to.toLowerCase());
      add({
        channel: 'email',
        recipient: to,
        userId: null,
        manner: manner(null),
        at: now,
        state: confirmed ? 'waiting' : 'unconfirmed',
        why: confirmed ? '' : 'The address has not agreed yet, by the link it was sent.',
      });
    }
  }
  return [...result.values()];
}

/** Until when somebody has paused all alerts, and until when quiet hours are for them just now, epoch ms; null for neither. */
export async function quietOf(
  connection: Connection,
  { workspaceId, userId, severity }: { workspaceId: number; userId: number | null; severity: Severity },
): Promise<{ manner: Manner; pausedUntil: number | null; quiet: number | null }> {
  const [row] = (await connection.query(
    "SELECT w.zone, COALESCE(u.alertChoices, '{}') AS alertChoices, COALESCE(u.units, 'metric') AS units, COALESCE(u.choices, '{}') AS choices FROM workspaces w LEFT JOIN users u ON u.id = ? WHERE w.id = ?",
    [userId, workspaceId],
  )) as { zone: string; alertChoices: string; units: UnitSystem; choices: string }[];
  const zone = row?.zone ?? 'UTC';
  const { pausedUntil, quiet } = choicesOf(JSON.parse(row?.alertChoices || '{}') as Partial<AlertChoices>);
  return {
    manner: mannerOf(row ?? null, zone),
    pausedUntil,
    quiet: userId === null || severity === 'urgent' ? null : quietUntil(quiet, zone, clockNow()),
  };
}
