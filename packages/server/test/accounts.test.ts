import fs from 'node:fs';
import path from 'node:path';
import { createClient, type ApiError, type Client } from '@peatmoor/contract';
import { startMailCatcher, type MailCatcher } from '@peatmoor/standins';
import { Secret, TOTP } from 'otpauth';
import {
  newDevice,
  newPerson,
  sessionFetch,
  startService,
  until,
  type Person,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let mail: MailCatcher;
let owner: Person;
const PASSWORD = 'cotton grass and reeds';

beforeAll(async () => {
  mail = await startMailCatcher();
  service = await startService({
    PEATMOOR_SMTP_URL: mail.smtpUrl,
    PEATMOOR_TRUST_PROXY: '127.0.0.2, 10.0.0.0/8',
  });
  owner = await newPerson(service);
});
afterAll(async () => {
  await service.stop();
  await mail.stop();
});

const browser = (headers: Record<string, string> = {}) => {
  const keeping = sessionFetch();
  return { client: createClient({ baseUrl: service.url, fetch: keeping, headers }), cookie: keeping.cookie };
};
const secretOf = (link: string): string => link.split('#')[1]!;
const mailTo = (email: string) =>
  until(() => mail.mails().find(({ to }) => to === email), `a mail to ${email}`);
const linkIn = (text: string): string => /https?:\/\/\S+#\S+/.exec(text)![0];
async function join(name: string, email: string | null = null): Promise<Client> {
  const { link } = await owner.client.call('addPerson', { body: { name, role: 'viewer' } });
  const { client } = browser();
  await client.call('join', { body: { secret: secretOf(link), email, password: PASSWORD } });
  return client;
}

describe('inviting', () => {
  it('a class joins with one link, without emails, and signs in by name from one address', async () => {
    const { link, person } = await owner.client.call('addPerson', { body: { role: 'viewer', uses: 12 } });
    expect([person.usesLeft, person.name]).toEqual([12, '']);
    const look = await service.open.call('readJoin', { body: { secret: secretOf(link) } });
    expect(look).toEqual({ workspace: "Warden's moss", name: '', role: 'viewer', email: null });
    const outcomes = await Promise.allSettled(
      Array.from({ length: 14 }, (_, n) =>
        browser().client.call('join', {
          body: { secret: secretOf(link), name: `Pupil ${n}`, password: PASSWORD },
        }),
      ),
    );
    expect(outcomes.filter(({ status }) => status === 'fulfilled')).toHaveLength(12);
    const people = await owner.client.call('listPeople');
    const pupils = people.filter(({ name }) => name.startsWith('Pupil'));
    expect(pupils.map(({ email }) => email)).toEqual(Array(12).fill(null));
    expect(people.some(({ id }) => id === person.id)).toBe(false);
    // Thirty who sign in rightly are nobody's attack; the name is written as they like.
    for (const { name } of [...pupils, ...pupils, ...pupils].slice(0, 30)) {
      const { client } = browser();
      const me = await client.call('signIn', {
        body: { email: name.toUpperCase(), password: PASSWORD },
      });
      expect([me.user.name, me.user.email]).toEqual([name, '']);
    }
  });

  it('refuses a name that another account signs in by, and uses up nothing', async () => {
    await join('Sedge');
    const { link } = await owner.client.call('addPerson', { body: { role: 'viewer' } });
    const body = { secret: secretOf(link), password: PASSWORD };
    await expect(browser().client.call('join', { body: { ...body, name: ' SEDGE ' } })).rejects.toThrow(
      /name cannot be used without an email/,
    );
    await expect(browser().client.call('join', { body })).rejects.toThrow(/name is empty/);
    await browser().client.call('join', { body: { ...body, name: 'Sedge Two' } });
  });

  it('goes by email, and an account that is there joins with it', async () => {
    const { client } = await newPerson(service, 'Traveller');
    await owner.client.call('addPerson', { body: { role: 'operator', email: 'invited@quillmere.example' } });
    const { subject, text } = await mailTo('invited@quillmere.example');
    // The sender's words are shown as theirs.
    expect(subject).toBe('Peatmoor: an invitation to a workspace');
    expect(text).toContain("They call themselves “Warden” and the workspace “Warden's moss”.");
    const secret = secretOf(linkIn(text));
    const me = await client.call('joinHere', { body: { secret } });
    expect([me.role, me.workspace.title]).toEqual(['operator', "Warden's moss"]);
    expect((await client.call('listWorkspaces')).map(({ title, role }) => [title, role])).toEqual([
      ["Traveller's moss", 'owner'],
      ["Warden's moss", 'operator'],
    ]);
    await expect(client.call('joinHere', { body: { secret } })).rejects.toThrow(/was used/);
    await expect(
      owner.client.call('addPerson', { body: { role: 'viewer', email: 'x@quillmere.example', uses: 3 } }),
    ).rejects.toThrow(/uses must be 1/);
  });
});

it('goes on in another workspace, remembered at the next sign-in; leaving takes all that speaks for one along', async () => {
  const { client, email, password } = await newPerson(service, 'Wanderer');
  const first = await client.call('me');
  const second = await client.call('createWorkspace', { body: { title: 'The other moss' } });
  expect([second.workspace.title, second.role]).toEqual(['The other moss', 'owner']);
  await newDevice(client, 'Only here');
  const again = browser().client;
  expect((await again.call('signIn', { body: { email, password } })).workspace.title).toBe('The other moss');
  await client.call('chooseWorkspace', { body: { id: first.workspace.id } });
  expect(await client.call('listDevices')).toEqual([]);
  await expect(client.call('chooseWorkspace', { body: { id: 1 } })).rejects.toThrow(/workspace/);
  // Alone in it, it would be nobody's.
  await expect(client.call('leaveWorkspace')).rejects.toThrow(/Nobody else belongs/);
  const guest = await join('Guest', 'guest@quillmere.example');
  await expect(guest.call('leaveWorkspace')).rejects.toThrow(/your only workspace/);
  await guest.call('createWorkspace', { body: { title: 'Mine' } });
  const [warden] = (await guest.call('listWorkspaces')).filter(({ role }) => role === 'viewer');
  await guest.call('chooseWorkspace', { body: { id: warden!.id } });
  const { secret } = await guest.call('createKey', { body: { title: 'mine' } });
  await guest.call('leaveWorkspace');
  expect((await guest.call('me')).workspace.title).toBe('Mine');
  const keyed = createClient({ baseUrl: service.url, headers: { authorization: `Bearer ${secret}` } });
  await expect(keyed.call('listDevices')).rejects.toThrow(/Sign in/);
});

describe('a new password', () => {
  it('comes by mail: once, for all sessions, and the same answer for an unknown email', async () => {
    const { client, email } = await newPerson(service, 'Forgetful');
    await service.open.call('askReset', { body: { email } });
    await service.open.call('askReset', { body: { email: 'nobody@quillmere.example' } });
    const secret = secretOf(linkIn((await mailTo(email)).text));
    const tries = await Promise.allSettled(
      [1, 2, 3].map(() => service.open.call('reset', { body: { secret, password: 'another password' } })),
    );
    expect(tries.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
    await expect(client.call('me')).rejects.toThrow(/Sign in/);
    await expect(
      browser().client.call('signIn', { body: { email, password: 'sphagnum and heather' } }),
    ).rejects.toThrow(/is not right/);
    await browser().client.call('signIn', { body: { email, password: 'another password' } });
    expect(mail.mails().some(({ to }) => to === 'nobody@quillmere.example')).toBe(false);
  });

  it('is given by an owner to who belongs here alone, and on the machine to anybody', async () => {
    await join('Pupil alone');
    const people = await owner.client.call('listPeople');
    const alone = people.find(({ name }) => name === 'Pupil alone')!;
    const { link } = await owner.client.call('resetPerson', { params: { person: alone.id } });
    await service.open.call('reset', { body: { secret: secretOf(link), password: 'a new one for me' } });
    await browser().client.call('signIn', { body: { email: 'pupil alone', password: 'a new one for me' } });
    const elsewhere = people.find(({ name }) => name === 'Traveller')!;
    await expect(owner.client.call('resetPerson', { params: { person: elsewhere.id } })).rejects.toThrow(
      /belongs to other workspaces too/,
    );
    const file = path.join(service.dataFolder, 'reset-key');
    expect(fs.statSync(file).mode & 0o777).toBe(0o600);
    const key = fs.readFileSync(file, 'utf8');
    await expect(
      service.open.call('machineReset', { body: { account: 'pupil alone', key: 'guess' } }),
    ).rejects.toThrow(/not that of the data folder/);
    const machine = await service.open.call('machineReset', { body: { account: 'pupil alone', key } });
    await service.open.call('reset', { body: { secret: secretOf(machine.link), password: 'once more new' } });
  });
});

it('takes another email once the mail to it was read, and not before', async () => {
  const { client, email, password } = await newPerson(service, 'Mover');
  const wanted = 'moved@quillmere.example';
  await expect(client.call('changeEmail', { body: { email: wanted, password: 'guess' } })).rejects.toThrow(
    /password is not right/,
  );
  await client.call('changeEmail', { body: { email: wanted, password } });
  expect((await client.call('me')).user.email).toBe(email);
  const secret = secretOf(linkIn((await mailTo(wanted)).text));
  await expect(
    service.open.call('reset', { body: { secret, password: 'stolen by a mail' } }),
  ).rejects.toThrow(/was used, or is older/);
  await service.open.call('confirmEmail', { body: { secret } });
  expect((await client.call('me')).user.email).toBe(wanted);
  // Whoever takes an account over is noticed where it was.
  const { subject, text } = await mailTo(email);
  expect(subject).toBe('Peatmoor: your account has another email now');
  expect(text).toContain(wanted);
  await expect(service.open.call('confirmEmail', { body: { secret } })).rejects.toThrow(/was used/);
});

it('asks for a second factor, takes each code once, and recovery codes when the phone is lost', async () => {
  const { client, email, password } = await newPerson(service, 'Careful');
  const { secret, uri } = await client.call('newFactor');
  expect(uri).toMatch(/^otpauth:\/\/totp\/Peatmoor:/);
  const totp = new TOTP({ secret: Secret.fromBase32(secret), digits: 6, period: 30 });
  await expect(client.call('useFactor', { body: { secret, code: '000000', password } })).rejects.toThrow(
    /code is not the one/,
  );
  const { codes } = await client.call('useFactor', { body: { secret, code: totp.generate(), password } });
  expect(new Set(codes).size).toBe(8);
  await expect(
    client.call('useFactor', { body: { secret, code: totp.generate(), password } }),
  ).rejects.toThrow(/second factor already/);
  const signIn = (code?: string) =>
    browser().client.call('signIn', { body: { email, password, ...(code !== undefined && { code }) } });
  const refusal = await signIn().catch((error: ApiError) => error.problem.type);
  expect(refusal).toMatch(/code-needed$/);
  // The code that switched it on is used up; the next step's fits already.
  await expect(signIn(totp.generate())).rejects.toThrow(/not right, or was used/);
  const next = totp.generate({ timestamp: Date.now() + 30_000 });
  const both = await Promise.allSettled([signIn(next), signIn(next)]);
  expect(both.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
  const twice = await Promise.allSettled([signIn(codes[0]), signIn(codes[0]!.toUpperCase())]);
  expect(twice.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
  expect(await client.call('readFactor')).toEqual({ on: true, codesLeft: 7 });
  await expect(client.call('endFactor', { body: { password: 'guess' } })).rejects.toThrow(
    /password is not right/,
  );
  await client.call('endFactor', { body: { password } });
  await signIn();
});

it('lists where one is signed in, and ends one or all others', async () => {
  const { client, email, password } = await newPerson(service, 'Sessions');
  const agent = { 'user-agent': 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0' };
  const [one, two] = [browser(agent).client, browser().client];
  for (const who of [one, two]) await who.call('signIn', { body: { email, password } });
  const sessions = await client.call('listSessions');
  expect(sessions.map(({ isThis }) => isThis).filter(Boolean)).toHaveLength(1);
  const firefox = sessions.find(({ browser: words }) => words === 'Firefox on Linux')!;
  await client.call('endSession', { params: { session: firefox.id } });
  await expect(one.call('me')).rejects.toThrow(/Sign in/);
  await two.call('me');
  await client.call('endSessions');
  await expect(two.call('me')).rejects.toThrow(/Sign in/);
  expect(await client.call('listSessions')).toHaveLength(1);
  const stranger = await newPerson(service, 'Stranger');
  const [mine] = await client.call('listSessions');
  await expect(stranger.client.call('endSession', { params: { session: mine!.id } })).rejects.toThrow(
    /session/,
  );
});

it('deletes an account with what is its alone, and leaves no workspace without an owner', async () => {
  const { client, password } = await newPerson(service, 'Leaving');
  await newDevice(client, 'Left behind');
  await expect(client.call('deleteAccount', { body: { password } })).rejects.toThrow(/would be deleted too/);
  const { link } = await client.call('addPerson', { body: { name: 'Staying', role: 'viewer' } });
  const staying = browser().client;
  await staying.call('join', { body: { secret: secretOf(link), password: PASSWORD } });
  await expect(client.call('deleteAccount', { body: { password, withWorkspaces: true } })).rejects.toThrow(
    /last owner/,
  );
  const person = (await client.call('listPeople')).find(({ name }) => name === 'Staying')!;
  await client.call('changePerson', { params: { person: person.id }, body: { role: 'owner' } });
  await client.call('deleteAccount', { body: { password } });
  await expect(client.call('me')).rejects.toThrow(/Sign in/);
  expect((await staying.call('listDevices')).map(({ name }) => name)).toEqual(['Left behind']);
  await staying.call('deleteAccount', { body: { password: PASSWORD, withWorkspaces: true } });
  await expect(
    browser().client.call('signIn', { body: { email: 'staying', password: PASSWORD } }),
  ).rejects.toThrow(/is not right/);
});

it('believes what a request says of its address only from a proxy that is trusted', async () => {
  const { email } = await newPerson(service, 'Guarded');
  const outcomes = await Promise.all(
    Array.from({ length: 12 }, (_, n) =>
      createClient({ baseUrl: service.url, headers: { 'x-forwarded-for': `203.0.113.${n}` } })
        .call('signIn', { body: { email, password: 'guess' } })
        .catch((error: Error) => error.message),
    ),
  );
  expect(outcomes.filter((one) => String(one).includes('Too many attempts')).length).toBeGreaterThanOrEqual(
    3,
  );
});
