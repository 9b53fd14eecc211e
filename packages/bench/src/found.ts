import { createInterface } from 'node:readline';
import { Readable } from 'node:stream';
import type { Sender } from './generator';
import { FIRST_VALUE } from './payloads';

/** What became of the messages of some senders. */
export interface Found {
  acknowledged: number;
  missing: number;
}

/**
 * Looks every acknowledged number up among what is stored: reads all readings of each sender's device back, over the API.
 * Throws where one is missing.
 */
export async function findAll(
  baseUrl: string,
  authorization: string,
  senders: readonly Sender[],
): Promise<Found> {
  let acknowledged = 0;
  let missing = 0;
  const examples: string[] = [];
  for (const { user, next, open } of senders) {
    const there = new Uint8Array(next);
    const response = await fetch(
      `${baseUrl}/api/devices/${user}/export?format=csv&streams=level&from=0&to=${Date.now() + 600_000}`,
      { headers: { authorization } },
    );
    if (!response.ok || response.body === null) throw new Error(`reading back failed: ${response.status}`);
    for await (const line of createInterface({ input: Readable.fromWeb(response.body as never) })) {
      const number = Number(line.slice(line.indexOf(',') + 1)) - FIRST_VALUE;
      if (number >= 0 && number < next) there[number] = 1;
    }
    for (let number = 0; number < next; number++) {
      if (open.has(number)) continue;
      acknowledged++;
      if (there[number] !== 0) continue;
      missing++;
      if (examples.length < 5) examples.push(`${user} ${number} of ${next}`);
    }
  }
  if (missing > 0)
    throw new Error(
      `${missing} of ${acknowledged} acknowledged readings are not stored, such as ${examples.join(', ')}`,
    );
  return { acknowledged, missing };
}
