import { ACTIONS, mayDo, ROLES, type Role } from '@peatmoor/core';
import { createClient, endpoints, type Client, type Endpoint, type KindIn } from '@peatmoor/contract';
import {
  DIPWELL,
  newPerson,
  sessionFetch,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';
import { WebSocket } from 'ws';

let service: TestService;
let owner: Person;
const PASSWORD = 'cotton grass and reeds';
const clients = new Map<Role, { client: Client; cookie(): string }>();

/** Adds somebody and joins with the link, as they would. */
async function join(name: string, role: Role): Promise<{ client: Client; cookie(): string }> {
  const { link } = await owner.client.call('addPerson', { body: { name, role } });
  const keeping = sessionFetch();
  const client = createClient({ baseUrl: service.url, fetch: keeping });
  const secret = link.split('#')[1]!;
  const email = `${name.toLowerCase().replaceAll(' ', '.')}@quillmere.example`;
  const me = await client.call('join', { body: { secret, email, password: 'cotton grass and reeds' } });
  expect([me.role, me.user.name]).toEqual([role, name]);
  return { client, cookie: keeping.cookie };
}

beforeAll(async () => {
  service = await startService();
  owner = await newPerson(service);
  for (const role of ROLES) clients.set(role, await join(`A ${role}`, role));
});
afterAll(() => service.stop());

const routes = Object.entries(endpoints as unknown as Record<string, Endpoint>).filter(
  ([, { access }]) => access !== 'open',
);

it('every route says what is done with it, as one of the actions of the table', () => {
  for (const [name, { access }] of routes)
    expect([name, Object.keys(ACTIONS)]).toEqual([name, expect.arrayContaining([access])]);
});

it.each(ROLES)('a %s is let through to exactly what the table says, on every route', async (role) => {
  const { cookie } = clients.get(role)!;
  const wrong: string[] = [];
  for (const [name, { method, path, access }] of routes) {
    const response = await fetch(service.url + path.replace(/:\w+/g, '999999'), {
      method,
      headers: { cookie: cookie(), origin: service.url, 'content-type': 'application/json' },
      ...(method !== 'GET' && { body: '{}' }),
    });
    await response.arrayBuffer();
    const may = mayDo(role, access as keyof typeof ACTIONS);
    if ((response.status !== 403) !== may || response.status >= 500)
      wrong.push(`${name}: ${response.status}`);
  }
  expect(wrong).toEqual([]);
});

describe('a link to join', () => {
  it('works once, also when two use it at the same moment', async () => {
    const { link } = await owner.client.call('addPerson', { body: { name: 'Twice', role: 'viewer' } });
    const secret = link.split('#')[1]!;
    const tries = await Promise.allSettled(
      [1, 2, 3].map((i) =>
        createClient({ baseUrl: service.url }).call('join', {
          body: { secret, email: `twice${i}@quillmere.example`, password: 'cotton grass and reeds' },
        }),
      ),
    );
    expect(tries.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
    const people = await owner.client.call('listPeople');
    expect(people.filter(({ name }) => name === 'Twice')).toMatchObject([{ linkEndsAt: null }]);
  });

  it('that was taken back, or is made up, joins nobody and says so', async () => {
    const { person, link } = await owner.client.call('addPerson', { body: { name: 'Gone', role: 'viewer' } });
    await owner.client.call('removePerson', { params: { person: person.id } });
    for (const secret of [link.split('#')[1]!, 'made up'])
      await expect(
        createClient({ baseUrl: service.url }).call('join', {
          body: { secret, email: 'gone@quillmere.example', password: 'cotton grass and reeds' },
        }),
      ).rejects.toThrow(/was used, taken back, or is too old/);
  });

  it('is for a new account, and names the field where the address is taken', async () => {
    const { link } = await owner.client.call('addPerson', { body: { name: 'Taken', role: 'viewer' } });
    await expect(
      createClient({ baseUrl: service.url }).call('join', {
        body: { secret: link.split('#')[1]!, email: owner.email, password: 'cotton grass and reeds' },
      }),
    ).rejects.toThrow(/email cannot be used/);
    // Nothing was used up by that.
    await createClient({ baseUrl: service.url }).call('join', {
      body: {
        secret: link.split('#')[1]!,
        email: 'taken@quillmere.example',
        password: 'cotton grass and reeds',
      },
    });
  });
});

describe('roles', () => {
  it('change at once, and a removed person is out, with their page and their key', async () => {
    const { client, cookie } = await join('Ranger', 'viewer');
    const { user } = await client.call('me');
    const { secret } = await client.call('createKey', { body: { title: 'mine' } });
    const person = `person-${user.id}`;
    const keyed = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
    // Who works from the command line alone was here too.
    const seenAt = async (): Promise<number> =>
      (await owner.client.call('listPeople')).find(({ id }) => id === person)!.seenAt!;
    const before = await seenAt();
    await keyed.call('listDevices');
    expect(await seenAt()).toBeGreaterThan(before);
    await expect(client.call('createKind', { body: { title: 'x' } })).rejects.toThrow(
      'needs the role editor',
    );
    await owner.client.call('changePerson', { params: { person }, body: { role: 'editor' } });
    await client.call('createKind', { body: { title: 'x' } });
    const page = new WebSocket(`${service.url.replace('http', 'ws')}/api/live`, {
      headers: { cookie: cookie() },
    });
    let code = 0;
    page.on('close', (one) => (code = one));
    await until(() => page.readyState === WebSocket.OPEN);
    await owner.client.call('removePerson', { params: { person } });
    await until(() => code === 4401);
    await expect(client.call('me')).rejects.toThrow(/Sign in/);
    await expect(keyed.call('listDevices')).rejects.toThrow(/Sign in/);
  });

  it('whoever is the last that a rule tells goes only when it is said who takes over', async () => {
    const { client } = await newPerson(service, 'Keeper');
    const kind = await client.call('createKind', { body: DIPWELL as KindIn });
    const me = (await client.call('me')).user.id;
    const { link } = await client.call('addPerson', { body: { name: 'Warden', role: 'viewer' } });
    const warden = createClient({ baseUrl: service.url, fetch: sessionFetch() });
    await warden.call('join', {
      body: { secret: link.split('#')[1]!, password: PASSWORD },
    });
    const { id } = (await warden.call('me')).user;
    const person = `person-${id}`;
    const make = (title: string, more: object) =>
      client.call('createRule', {
        body: { title, kindId: kind.id, stream: 'level', comparison: 'above', limit: 0, ...more },
      });
    const alone = await make('Alone', { people: [id], escalateMs: 60_000, escalateTo: id });
    const both = await make('Both', { people: [id, me] });
    const ofRole = await make('Role', { roles: ['viewer'] });
    const silent = await make('Silent', {});
    const remove = (takesOver?: string) =>
      client.call('removePerson', {
        params: { person },
        query: takesOver === undefined ? {} : { takesOver },
      });
    await expect(remove()).rejects.toThrow(
      '2 event rules would tell nobody any more: “Alone”, “Role”. Say who takes over',
    );
    // Another role leaves one of them alone too.
    await expect(
      client.call('changePerson', { params: { person }, body: { role: 'editor' } }),
    ).rejects.toThrow('1 event rule would tell nobody any more: “Role”');
    await expect(remove(person)).rejects.toThrow('is nobody who stays in this workspace');
    await expect(remove('person-999999')).rejects.toThrow('is nobody who stays');
    await expect(remove('the owner')).rejects.toThrow('takesOver');
    expect((await client.call('listPeople')).length).toBe(2);
    await remove(`person-${me}`);
    const read = (rule: { id: number }) => client.call('readRule', { params: { rule: rule.id } });
    expect(await read(alone)).toMatchObject({
      people: [me],
      escalateTo: me,
      version: alone.version + 1,
    });
    expect((await read(both)).people).toEqual([me]);
    expect(await read(ofRole)).toMatchObject({ roles: ['viewer'], people: [me] });
    expect(await read(silent)).toMatchObject({ people: [], version: silent.version });
  });

  it('asks whoever leaves, or deletes their account, who takes over, where they may change rules', async () => {
    const { client } = await newPerson(service, 'Keeper');
    const kind = await client.call('createKind', { body: DIPWELL as KindIn });
    const me = (await client.call('me')).user.id;
    const joining = async (name: string, role: 'viewer' | 'editor') => {
      const { link } = await client.call('addPerson', { body: { name, role } });
      const joined = createClient({ baseUrl: service.url, fetch: sessionFetch() });
      await joined.call('join', { body: { secret: link.split('#')[1]!, password: PASSWORD } });
      const { id } = (await joined.call('me')).user;
      const rule = await client.call('createRule', {
        body: {
          title: name,
          kindId: kind.id,
          stream: 'level',
          comparison: 'above',
          limit: 0,
          people: [id],
          escalateMs: 60_000,
          escalateTo: id,
        },
      });
      const told = async () => {
        const { people, escalateTo } = await client.call('readRule', { params: { rule: rule.id } });
        return [people, escalateTo];
      };
      return { client: joined, told };
    };
    const leaving = await joining('Leaving', 'editor');
    const home = (await leaving.client.call('me')).workspace.id;
    await leaving.client.call('createWorkspace', { body: { title: 'Own' } });
    await leaving.client.call('chooseWorkspace', { body: { id: home } });
    const refused = '1 event rule would tell nobody any more: “Leaving”. Say who takes over';
    await expect(leaving.client.call('leaveWorkspace', {})).rejects.toThrow(refused);
    await expect(
      leaving.client.call('leaveWorkspace', { query: { takesOver: 'person-999999' } }),
    ).rejects.toThrow('is nobody who stays');
    await leaving.client.call('leaveWorkspace', { query: { takesOver: `person-${me}` } });
    expect(await leaving.told()).toEqual([[me], me]);

    const deleting = await joining('Deleting', 'editor');
    // They belong to another workspace too, in which no rule is left alone.
    const other = await newPerson(service, 'Stranger');
    const invited = await other.client.call('addPerson', { body: { name: 'Deleting', role: 'editor' } });
    await deleting.client.call('joinHere', { body: { secret: invited.link.split('#')[1]! } });
    const withPassword = { password: PASSWORD };
    await expect(deleting.client.call('deleteAccount', { body: withPassword })).rejects.toThrow(
      /1 event rule of “.*” would tell nobody any more: “Deleting”. Say who takes over/,
    );
    await expect(deleting.client.call('me')).resolves.toMatchObject({ user: { name: 'Deleting' } });
    await deleting.client.call('deleteAccount', { body: { ...withPassword, takesOver: `person-${me}` } });
    expect(await deleting.told()).toEqual([[me], me]);

    // Whoever may change no rule is not asked: an owner takes over.
    const looking = await joining('Looking', 'viewer');
    await looking.client.call('deleteAccount', { body: withPassword });
    expect(await looking.told()).toEqual([[me], me]);
    expect((await client.call('listPeople')).length).toBe(1);
  });

  it('the last owner cannot be lowered or removed, also when two owners do it to each other at once', async () => {
    const first = await newPerson(service, 'Solo');
    const me = (await first.client.call('me')).user.id;
    const params = { person: `person-${me}` };
    await expect(first.client.call('changePerson', { params, body: { role: 'viewer' } })).rejects.toThrow(
      'last owner',
    );
    await expect(first.client.call('removePerson', { params })).rejects.toThrow('last owner');
    const { link } = await first.client.call('addPerson', { body: { name: 'Second', role: 'owner' } });
    const keeping = sessionFetch();
    const second = createClient({ baseUrl: service.url, fetch: keeping });
    const { user } = await second.call('join', {
      body: {
        secret: link.split('#')[1]!,
        email: 'second@quillmere.example',
        password: 'cotton grass and reeds',
      },
    });
    const outcomes = await Promise.allSettled([
      first.client.call('changePerson', {
        params: { person: `person-${user.id}` },
        body: { role: 'viewer' },
      }),
      second.call('changePerson', { params, body: { role: 'viewer' } }),
    ]);
    expect(outcomes.filter(({ status }) => status === 'fulfilled').length).toBe(1);
  });
});
