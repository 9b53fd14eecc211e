import fs from 'node:fs';
import path from 'node:path';
import { createClient, type Client } from '@peatmoor/contract';
import { clockStanding } from '@peatmoor/core';
import { newDevice, newFolder, post, until, type TestService } from '../../../../test/support/service';
import {
  startSharedDatabase,
  urlOf,
  type Node,
  type SharedDatabase,
} from '../../../../test/support/sharedDatabase';

// Among nodes the time is the database's: one whose own clock is wrong does nothing at a wrong time, and leaves.
jest.setTimeout(60_000);
const MINUTE = 60_000;

it('one that is off leaves while another agrees with the database; the last one stays', () => {
  const well = { leaves: false, trouble: null };
  expect(clockStanding(900, [], well)).toEqual(well);
  expect(clockStanding(180_000, [{ draining: false, clockMs: 20 }], well)).toEqual({
    leaves: true,
    trouble: expect.stringMatching(/3 min ahead of the database's.*takes nothing new/) as string,
  });
  // Nobody else agrees: the database's clock may be the one that is wrong.
  for (const others of [[], [{ draining: false, clockMs: 170_000 }], [{ draining: true, clockMs: 0 }]])
    expect(clockStanding(-180_000, others, well)).toEqual({
      leaves: false,
      trouble: expect.stringMatching(/3 min behind the database's.*goes on/) as string,
    });
  // It comes back only once it agrees well.
  const away = clockStanding(2000, [{ draining: false, clockMs: 0 }], well);
  expect(clockStanding(700, [{ draining: false, clockMs: 0 }], away).leaves).toBe(true);
  expect(clockStanding(400, [{ draining: false, clockMs: 0 }], away)).toEqual(well);
});

describe('three minutes ahead', () => {
  const shiftFile = path.join(newFolder(), 'shift');
  const shifted = {
    NODE_OPTIONS: `--import=${path.resolve(__dirname, '../../../../test/support/shiftedClock.mjs')}`,
    SHIFT_FILE: shiftFile,
  };
  let shared: SharedDatabase;
  let right: Node;
  let wrong: Node;
  let client: Client;
  let key: string;
  let token: string;
  beforeAll(async () => {
    fs.writeFileSync(shiftFile, String(3 * MINUTE));
    shared = await startSharedDatabase();
    right = await shared.startNode();
    ({ client, key } = await shared.newOwner(right));
    ({ token } = await newDevice(client));
    wrong = await shared.startNode(shifted);
  });
  afterAll(() => shared.stop());
  const health = async (node: Node) => {
    const answer = await fetch(`${urlOf(node)}/health`, { headers: { authorization: `Bearer ${key}` } });
    return [answer.status, (await answer.json()) as { clock: string; nodes: { draining: boolean } }] as const;
  };
  const at = (node: Node) =>
    createClient({ baseUrl: urlOf(node), headers: { authorization: `Bearer ${key}` } });

  it('it leaves and says so, and the other goes on', async () => {
    await until(async () => (await health(wrong))[0] === 503);
    const [status, told] = await health(wrong);
    expect([status, told.nodes.draining]).toEqual([503, true]);
    expect(told.clock).toMatch(/3 min ahead of the database's/);
    expect(await health(right)).toMatchObject([200, { clock: 'right' }]);
    const gone = await until(async () => (await client.call('listNodes')).find(({ draining }) => draining));
    expect(Math.abs(gone.clockMs! - 3 * MINUTE)).toBeLessThan(1000);
  });

  it('what it does all the same is done at the right time: times of readings, wishes, what is due', async () => {
    const params = { device: 'dipwell-north' };
    await post({ url: urlOf(wrong) } as TestService, token, { level: -7 });
    const newest = await until(async () =>
      (await client.call('readDevice', { params })).newest.find(({ key }) => key === 'level' && true),
    );
    expect(Math.abs(newest.at - Date.now())).toBeLessThan(3000);
    // A wish of one and then of the other: the later one holds, whichever node takes it.
    for (const [node, value] of [
      [wrong, true],
      [right, false],
      [wrong, true],
      [right, true],
    ] as const)
      expect(
        (
          await at(node).call('createCommand', {
            params,
            body: { stream: 'pump', value, until: Date.now() + 10_000 },
          })
        ).value,
      ).toBe(Number(value));
    const [row] = await shared.rows<{ ahead: number }>(
      'SELECT MAX(createdAt) - ROUND(UNIX_TIMESTAMP(NOW(3)) * 1000) AS ahead FROM commands',
    );
    expect(Number(row!.ahead)).toBeLessThan(1000);
  });

  it('a right one that starts does not begin at the time of the wrong one, and the wrong one comes back once it is right', async () => {
    const third = await shared.startNode();
    const [row] = await shared.rows<{ ahead: number }>(
      'SELECT MAX(startedAt) - ROUND(UNIX_TIMESTAMP(NOW(3)) * 1000) AS ahead FROM nodes',
    );
    expect(Number(row!.ahead)).toBeLessThan(1000);
    await third.stop();
    fs.writeFileSync(shiftFile, '0');
    await until(async () => (await health(wrong))[0] === 200);
    expect((await health(wrong))[1].clock).toBe('right');
    // Alone with a clock that is off it stays, and says so.
    fs.writeFileSync(shiftFile, String(-3 * MINUTE));
    await right.stop();
    await until(async () => /3 min behind/.test((await health(wrong))[1].clock));
    await until(async () => (await health(wrong))[0] === 200);
  });
});
