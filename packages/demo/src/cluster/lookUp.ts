import { setTimeout as sleep } from 'node:timers/promises';
import { counted } from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import type { Cluster } from './cluster';
import type { Sent } from './load';

/** A device that crossed its limit, and when. */
export interface Crossing {
  id: string;
  highs: number[];
}

/** Every acknowledged reading is there once; of those without an answer each is there at most once. */
export async function lookUp(client: Client, all: readonly Sent[]): Promise<string[]> {
  const problems: string[] = [];
  let lost = 0;
  let doubled = 0;
  let unasked = 0;
  for (const { device, kept, unknown } of all) {
    const { lines } = await client.call('history', {
      params: { device },
      query: { streams: 'level', from: Date.now() - 6 * 3_600_000, to: Date.now() + 600_000 },
    });
    const counts = new Map<number, number>();
    for (const value of lines[0]!.values) counts.set(value!, (counts.get(value!) ?? 0) + 1);
    for (const value of kept.keys())
      if (!counts.has(value)) {
        lost++;
        problems.push(`${device}: ${value} is not there.`);
      }
    for (const [value, count] of counts) {
      if (count > 1) doubled++;
      if (!kept.has(value) && !unknown.has(value)) unasked++;
    }
  }
  if (lost > 0)
    problems.push(`${counted(lost, 'acknowledged reading is', 'acknowledged readings are')} LOST.`);
  if (doubled > 0) problems.push(`${counted(doubled, 'reading is', 'readings are')} there TWICE.`);
  if (unasked > 0)
    problems.push(
      `${counted(unasked, 'reading is', 'readings are')} there that ${unasked === 1 ? 'was' : 'were'} refused.`,
    );
  return problems;
}

export async function lookAtEvents(client: Client, crossings: readonly Crossing[]): Promise<string[]> {
  const problems: string[] = [];
  for (const { id, highs } of crossings) {
    const opened: number[] = [];
    let after: string | undefined;
    do {
      const page = await client.call('listEvents', {
        query: { device: id, limit: 200, ...(after !== undefined && { after }) },
      });
      for (const event of page) opened.push(event.openedAt);
      after = page.length === 200 ? String(page.at(-1)!.id) : undefined;
    } while (after !== undefined);
    const wanted = new Set(highs);
    const missed = highs.filter((at) => !opened.includes(at)).length;
    const more = opened.filter((at) => !wanted.has(at)).length;
    if (missed > 0 || more > 0 || opened.length !== highs.length)
      problems.push(
        `${id}: ${counted(highs.length, 'crossing')}, ${counted(opened.length, 'event')}: ${missed} MISSED, ${more} too many.`,
      );
  }
  return problems;
}

/** What the alerts say of themselves, and what was caught of them. */
export async function lookAtAlerts(
  cluster: Cluster,
  caught: ReadonlyMap<string, number>,
  collect: () => void,
  say: (text: string) => void,
): Promise<string[]> {
  const connection = await cluster.connect(0);
  try {
    const read = async (): Promise<{ state: string; count: number }[]> =>
      (await connection.query('SELECT state, COUNT(*) AS count FROM alerts GROUP BY state')) as {
        state: string;
        count: number;
      }[];
    // What still waits goes out meanwhile: to one place a message every three minutes, where one comes after the other.
    for (let i = 0; i < 240 && (await read()).some(({ state }) => state !== 'sent'); i++) await sleep(1000);
    collect();
    const states = await read();
    const [twice] = (await connection.query(
      'SELECT COUNT(*) AS count FROM (SELECT eventId, phase FROM alerts GROUP BY eventId, phase, channel, recipient HAVING COUNT(*) > 1) AS more',
    )) as { count: number }[];
    say(`Alerts: ${states.map(({ state, count }) => `${count} ${state}`).join(', ')}`);
    return [
      ...(states.some(({ state }) => state !== 'sent') ? ['Not all alerts were sent.'] : []),
      ...(Number(twice!.count) > 0
        ? [`${counted(Number(twice!.count), 'alert was', 'alerts were')} WRITTEN TWICE.`]
        : []),
      ...(caught.size === 0 ? ['Nothing was caught.'] : []),
    ];
  } finally {
    await connection.end();
  }
}
