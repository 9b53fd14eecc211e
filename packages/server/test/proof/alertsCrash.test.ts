import http from 'node:http';
import type { AddressInfo } from 'node:net';
import { createClient, type Client, type Event, type RuleIn } from '@peatmoor/contract';
import { beginTrial, planOf, type Datastream, type PlanSample, type RuleDefinition } from '@peatmoor/core';
import { startHookCatcher, type HookCatcher } from '@peatmoor/standins';
import {
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../../test/support/service';

/** `npm run proof` asks for more. */
const ROUNDS = Number(process.env.PROOF_SERVICE_KILLS ?? 4);
jest.setTimeout(180_000 + ROUNDS * 15_000);
const id = 'dipwell-north';
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

let hook: HookCatcher;
let service: TestService;
let client: Client;
let token: string;

beforeAll(async () => {
  hook = await startHookCatcher();
  service = await startService({ PEATMOOR_PRIVATE_ADDRESSES: 'allow' });
  const person = await newPerson(service);
  ({ token } = await newDevice(person.client));
  const { secret } = await person.client.call('createKey', { body: { title: 'proof' } });
  client = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
});
afterAll(async () => {
  await service.stop();
  await hook.stop();
});

const RULES = [
  { comparison: 'above', stream: 'level', limit: -100, closeLimit: -120 },
  { comparison: 'outside', stream: 'level', low: -250, high: -60, margin: 10 },
  { comparison: 'equals', stream: 'mode', text: 'on' },
  { comparison: 'expression', expression: 'level > -150 && mode' },
] as const;

/** What the pure function makes of readings in order. */
async function expectedOf(
  samples: readonly { at: number; level: number; mode: number }[],
): Promise<[string, number][][]> {
  const { kindId } = await client.call('readDevice', { params: { device: id } });
  const { streams } = await client.call('readKind', { params: { kind: kindId } });
  return RULES.map((rule) => {
    const definition: RuleDefinition = {
      conditions: [
        {
          sort: rule.comparison,
          settings: { ...rule } as never,
          stream: 'stream' in rule ? rule.stream : '',
          device: null,
        },
      ],
      join: 'all',
      holdMs: 0,
      closeHoldMs: 0,
      hours: null,
    };
    const { plan, inputs } = planOf(definition, 'UTC', () => streams as unknown as Datastream[])!;
    const trial = beginTrial(plan, samples[0]!.at - 1);
    trial.take(
      samples.flatMap((sample) =>
        inputs.map(({ part, name, of }): PlanSample => ({
          part,
          name,
          at: sample.at,
          value: sample[(of as { stream: 'level' | 'mode' }).stream],
        })),
      ),
    );
    return trial
      .end(samples.at(-1)!.at)
      .flatMap(({ openedAt, closedAt }): [string, number][] => [
        ['opened', openedAt],
        ...(closedAt === null ? [] : ([['closed', closedAt]] as [string, number][])),
      ]);
  });
}

it('misses no event and no alert over kills, and an alert that comes twice has the same number', async () => {
  const { id: webhook } = await client.call('createWebhook', { body: { title: 'Gateway', url: hook.url } });
  const ids: number[] = [];
  for (const rule of RULES) {
    const body = {
      ...rule,
      title: rule.comparison,
      deviceId: id,
      severity: 'urgent',
      webhooks: [webhook],
      mostAlerts: 60,
    };
    ids.push((await client.call('createRule', { body: body as unknown as RuleIn })).id);
  }
  const samples: { at: number; level: number; mode: number }[] = [];
  let running = true;
  let number = 0;
  const load = (async () => {
    while (running) {
      const n = ++number;
      const sample = { at: Date.now(), level: -300 + ((n * 67) % 290), mode: Math.floor(n / 5) % 2 };
      // The same again until it is acknowledged: all readings are there, in order.
      let sent = false;
      while (!sent) {
        sent = await post(service, token, sample).then(
          ({ status }) => status === 200,
          () => false,
        );
        if (!sent) await pause(30);
      }
      samples.push(sample);
      await pause(40);
    }
  })();
  for (let round = 0; round < ROUNDS; round++) {
    const enough = samples.length + 25;
    await until(() => samples.length >= enough, 'some more', 60_000);
    await service.restart();
  }
  running = false;
  await load;

  const expected = await expectedOf(samples);
  const eventsOf = (): Promise<Event[][]> =>
    Promise.all(ids.map((rule) => client.call('listEvents', { query: { rule, limit: 500 } })));
  /** What is not there yet, in words: a failure tells it. */
  const missing = (all: Event[][]): string[] => [
    ...all.flatMap((events, i) => {
      const wanted = expected[i]!.filter(([kind]) => kind === 'opened').length;
      return events.length < wanted ? [`${RULES[i]!.comparison}: ${events.length} of ${wanted} events`] : [];
    }),
    ...all
      .flat()
      .flatMap(({ alerts }) => alerts)
      .filter(({ state }) => state !== 'sent')
      .map(({ id: alert, state, error }) => `alert ${alert} is ${state} ${error}`),
  ];
  let left: string[] = [];
  await until(
    async () => (left = missing(await eventsOf())).length === 0,
    'every event and alert',
    90_000,
  ).catch((error: Error) => {
    throw new Error(`${error.message}: ${left.slice(0, 20).join('; ')}`);
  });
  const all = await eventsOf();
  for (const [i, events] of all.entries()) {
    const moments = [...events]
      .reverse()
      .flatMap(({ openedAt, closedAt }): [string, number][] => [
        ['opened', openedAt],
        ...(closedAt === null ? [] : ([['closed', closedAt]] as [string, number][])),
      ]);
    expect([RULES[i]!.comparison, moments]).toEqual([RULES[i]!.comparison, expected[i]]);
  }
  const numbers = new Map<string, Set<string>>();
  for (const { headers, body } of hook.hooks())
    for (const { event, phase } of (JSON.parse(body) as { events: { event: number; phase: string }[] })
      .events) {
      const key = `${event} ${phase}`;
      numbers.set(key, (numbers.get(key) ?? new Set()).add(String(headers['webhook-id'])));
    }
  const owed = all
    .flat()
    .flatMap(({ id: event, closedAt }) => [
      `${event} opened`,
      ...(closedAt === null ? [] : [`${event} closed`]),
    ]);
  expect(owed.filter((key) => !numbers.has(key))).toEqual([]);
  expect([...numbers.values()].every((set) => set.size === 1)).toBe(true);
  process.stderr.write(
    `${ROUNDS} kills of the service: ${samples.length} readings, ${all.flat().length} events, ${owed.length} alerts owed, ${hook.hooks().length} messages, none missed\n`,
  );
});

it('what was being sent when it was killed goes out again as soon as it is back', async () => {
  const numbers: string[] = [];
  let answers = false;
  const slow = http.createServer((request, response) => {
    numbers.push(String(request.headers['webhook-id']));
    request.resume();
    if (answers) response.end();
  });
  await new Promise<void>((resolve) => slow.listen(0, '127.0.0.1', resolve));
  const url = `http://127.0.0.1:${(slow.address() as AddressInfo).port}`;
  const { id: webhook } = await client.call('createWebhook', { body: { title: 'Slow', url } });
  const { id: rule } = await client.call('createRule', {
    body: { ...RULES[0], title: 'Slow', deviceId: id, webhooks: [webhook] } as unknown as RuleIn,
  });
  await post(service, token, { level: -300 });
  await post(service, token, { level: -50 });
  await until(() => numbers.length === 1, 'the message');
  await service.program.kill();
  answers = true;
  slow.closeAllConnections();
  await service.restart();
  await until(() => numbers.length === 2, 'it again', 20_000);
  expect(numbers[1]).toBe(numbers[0]);
  await until(async () => {
    const [event] = await client.call('listEvents', { query: { rule } });
    return event?.alerts.every(({ state }) => state === 'sent');
  }, 'its end');
  slow.close();
});
