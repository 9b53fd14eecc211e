import type { EndpointName } from '@peatmoor/contract';
import type { Call, Handlers } from '../src/api/context';
import { differences, recorded } from '../src/api/recorded';
import type { Scope } from '../src/api/scope';
import type { Store } from '../src/store/store';

const scope = {
  workspaceId: 1,
  userId: 2,
  userName: 'Warden',
  pass: { kind: 'session' },
} as unknown as Scope;
const callOf = (params: Record<string, string>, body: object = {}): Call<never> =>
  ({ scope, params, body, query: {} }) as unknown as Call<never>;

/** Records calls into a list, or fails to, and says what was warned of. */
function recorder(handlers: Partial<Record<EndpointName, () => Promise<unknown>>> = {}, fails = false) {
  const written: Record<string, unknown>[] = [];
  const warned: string[] = [];
  const changes = {
    create: (row: Record<string, unknown>) => {
      if (fails) return Promise.reject(new Error('the database is gone'));
      written.push(row);
      return Promise.resolve({ ...row, get: () => row });
    },
    findAll: () => Promise.resolve([]),
  };
  const parts = {
    store: { models: { changes } } as unknown as Store,
    handlers: handlers as unknown as Handlers,
    log: { warn: (_facts: object, words: string) => warned.push(words) } as never,
  };
  return { parts, written, warned };
}

describe('what is written down of a call', () => {
  it('loses no answer where it cannot be written down: a token is shown only once', async () => {
    const { parts, warned } = recorder({}, true);
    const made = { device: { id: 'north', name: 'North' }, token: 'shown only now' };
    expect(await recorded(parts, 'createDevice', callOf({}), () => Promise.resolve(made))).toBe(made);
    expect(warned).toEqual(['a change was not written down']);
  });

  it('is nothing of what was refused, and of trying what something would do', async () => {
    const { parts, written } = recorder();
    const refuse = () => Promise.reject(new Error('name is missing'));
    await expect(recorded(parts, 'createDevice', callOf({}), refuse)).rejects.toThrow('name is missing');
    await recorded(parts, 'moveDevices', callOf({ kind: '1' }, { try: true }), () => Promise.resolve({}));
    expect(written).toEqual([]);
  });

  it('is what the call that changes it says it was, and nothing of it is read', async () => {
    const { parts, written } = recorder({ readKind: () => Promise.reject(new Error('not asked for')) });
    const call = callOf({ kind: '1', stream: 'level' });
    const saying = (result: unknown) => () => {
      call.before = { key: 'level', max: 200 };
      return Promise.resolve(result);
    };
    await recorded(parts, 'changeStream', call, saying({ key: 'level', max: 300 }));
    await recorded(parts, 'deleteStream', call, saying(undefined));
    await recorded(parts, 'deleteStream', callOf({ kind: '1', stream: 'gone' }), () =>
      Promise.resolve(undefined),
    );
    expect(written.map(({ act, target, details }) => [act, target, details])).toEqual([
      ['changed', 'level', [{ field: 'max', from: 200, to: 300 }]],
      [
        'deleted',
        'level',
        [
          { field: 'key', from: 'level', to: null },
          { field: 'max', from: 200, to: null },
        ],
      ],
      ['deleted', 'gone', []],
    ]);
  });

  it('goes on where what it was before cannot be read', async () => {
    const { parts, written } = recorder({ readDevice: () => Promise.reject(new Error('gone meanwhile')) });
    await recorded(parts, 'deleteDevice', callOf({ device: 'north' }), () => Promise.resolve(undefined));
    expect(written[0]).toMatchObject({ act: 'deleted', what: 'device', target: 'north', who: 'Warden' });
  });
});

describe('what differs between two states', () => {
  it('holds nothing secret at any depth, and nothing without end', () => {
    const before = { name: 'a', options: { token: 'x', colour: 'moss' }, password: 'one' };
    const after = { name: 'b', options: { token: 'y', colour: 'peat' }, password: 'two' };
    expect(differences(before, after)).toEqual([
      { field: 'name', from: 'a', to: 'b' },
      { field: 'options', from: { colour: 'moss' }, to: { colour: 'peat' } },
    ]);
    const [long] = differences({}, { notes: 'x'.repeat(100_000) });
    expect(String(long!.to).length).toBeLessThan(2100);
    expect(differences(null, null)).toEqual([]);
    expect(differences({ a: null }, {})).toEqual([]);
  });
});
