import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { newFolder } from '../../../test/support/service';
import { reachableHost, readConfig, SettingError } from '../src/config';
import { showPayload } from '../src/ingest/payload';
import { pathProblem } from '../src/listeners/web/basePath';

const folder = newFolder();
const file = (name: string): string => path.join(folder, name);
beforeAll(() => {
  for (const name of ['one', 'two'])
    execFileSync(
      'openssl',
      `req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=x -keyout ${file(`${name}.key`)} -out ${file(`${name}.pem`)}`.split(
        ' ',
      ),
      { stdio: 'ignore' },
    );
  fs.writeFileSync(file('noise.pem'), 'noise');
});
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

const complaint = (environment: Record<string, string>): string => {
  try {
    readConfig(environment);
    return '';
  } catch (error) {
    expect(error).toBeInstanceOf(SettingError);
    return (error as Error).message;
  }
};

describe('settings', () => {
  it('announce the service by name where others can reach it by it', () => {
    const nameOf = (environment: Record<string, string>) => readConfig(environment).localName;
    expect(nameOf({})).toBe('peatmoor');
    expect(nameOf({ PEATMOOR_LOCAL_NAME: 'moss-hut' })).toBe('moss-hut');
    for (const silent of [
      { PEATMOOR_LOCAL_NAME: 'off' },
      { PEATMOOR_PUBLIC_URL: 'https://moor.example' },
      { PEATMOOR_HOST: '127.0.0.1' },
    ])
      expect([silent, nameOf(silent as unknown as Record<string, string>)]).toEqual([silent, null]);
    expect(complaint({ PEATMOOR_LOCAL_NAME: 'Moss Hut' })).toContain('PEATMOOR_LOCAL_NAME');
    // What the command line reads from the same environment is none of the service's.
    expect(complaint({ PEATMOOR_CLI_CONFIG: 'x', PEATMOOR_PASSWORD: 'y' })).toBe('');
  });

  it('have defaults for everything', () => {
    expect(readConfig({})).toMatchObject({
      httpPort: 8420,
      mqttPort: 1883,
      mqttsPort: 8883,
      host: '0.0.0.0',
      signUp: 'first',
      deviceRate: 100,
      tls: null,
      databaseUrl: null,
      publicUrl: null,
    });
  });

  it('leave what belongs to others alone, and take empty ones as not given', () => {
    expect(readConfig({ HOME: '/root', PEATMOOR_HTTP_PORT: '', PEATMOOR_DATA: '/x' })).toMatchObject({
      httpPort: 8420,
      dataFolder: '/x',
    });
  });

  it('a path of the public address may be none of the console', () => {
    const app = fs.readFileSync(path.join(__dirname, '../../console/src/App.tsx'), 'utf8');
    const routes = new Set([...app.matchAll(/path="\/([\w-]+)/g)].map(([, first]) => first!));
    expect(routes.size).toBeGreaterThan(6);
    for (const first of routes) expect([first, pathProblem(`/${first}`) !== null]).toEqual([first, true]);
    expect([pathProblem(''), pathProblem('/moor'), pathProblem('/a/../b') === null]).toEqual([
      null,
      null,
      false,
    ]);
  });

  it.each([
    [{ PEATMOOR_HTTP_PORT: 'eighty' }, 'PEATMOOR_HTTP_PORT must be a number; "eighty" is not.'],
    [{ PEATMOOR_HTTP_PORT: '70000' }, 'PEATMOOR_HTTP_PORT'],
    [{ PEATMOOR_MQTT_PORT: '-1' }, 'PEATMOOR_MQTT_PORT'],
    [{ PEATMOOR_PUBLIC_URL: 'moor.example' }, 'PEATMOOR_PUBLIC_URL must be an address'],
    [{ PEATMOOR_PUBLIC_URL: 'https://moor.example/api/x' }, 'cannot have a path that begins with /api'],
    [{ PEATMOOR_PUBLIC_URL: 'https://moor.example/a b' }, 'PEATMOOR_PUBLIC_URL must be an address'],
    [{ PEATMOOR_PUBLIC_URL: 'https://moor.example/a%2Fb' }, 'letters, digits, dots'],
    [{ PEATMOOR_JOURNAL_PARTS: '0' }, 'PEATMOOR_JOURNAL_PARTS'],
    [{ PEATMOOR_DATABASE_URL: 'file:x' }, 'PEATMOOR_DATABASE_URL must be like mariadb://'],
    [{ PEATMOOR_SMTP_URL: 'mail.example' }, 'PEATMOOR_SMTP_URL must be like smtp://'],
    [{ PEATMOOR_SIGN_UP: 'all' }, 'PEATMOOR_SIGN_UP'],
    [{ PEATMOOR_LOG: 'loud' }, 'PEATMOOR_LOG'],
    [{ PEATMOOR_DEVICE_RATE: '-5' }, 'PEATMOOR_DEVICE_RATE'],
    [{ PEATMOOR_PORT: '1' }, 'PEATMOOR_PORT is not a setting of Peatmoor'],
  ] as [Record<string, string>, string][])(
    '%j is refused in a sentence that names it',
    (environment, words) => {
      expect(complaint(environment)).toContain(words);
    },
  );

  it('name all that is wrong at once, and never repeat a secret', () => {
    const words = complaint({
      PEATMOOR_HTTP_PORT: 'x',
      PEATMOOR_DATABASE_URL: 'mysql:secret',
      PEATMOOR_NONSENSE: '1',
    });
    expect(words.split('\n')).toHaveLength(3);
    expect(words).not.toContain('secret');
  });

  it('take a certificate with its key, or neither', () => {
    const tls = (cert?: string, key?: string) => ({
      ...(cert && { PEATMOOR_TLS_CERT: file(cert) }),
      ...(key && { PEATMOOR_TLS_KEY: file(key) }),
    });
    expect(readConfig(tls('one.pem', 'one.key')).tls).not.toBeNull();
    expect(complaint(tls('one.pem'))).toContain('PEATMOOR_TLS_KEY is missing');
    expect(complaint(tls(undefined, 'one.key'))).toContain('PEATMOOR_TLS_CERT is missing');
    expect(complaint(tls('none.pem', 'one.key'))).toContain('PEATMOOR_TLS_CERT cannot be read');
    expect(complaint(tls('one.pem', 'none.key'))).toContain('PEATMOOR_TLS_KEY cannot be read');
    expect(complaint(tls('one.pem', 'two.key'))).toContain('do not fit together');
    expect(complaint(tls('noise.pem', 'one.key'))).toContain('do not fit together');
  });

  it('say by which address a board reaches the service', () => {
    expect(reachableHost({ publicUrl: 'https://moor.example:8420/x', host: '0.0.0.0' })).toBe('moor.example');
    expect(reachableHost({ publicUrl: null, host: '10.1.2.3' })).toBe('10.1.2.3');
    expect(reachableHost({ publicUrl: null, host: '0.0.0.0' })).toMatch(/^\d+\.\d+\.\d+\.\d+$/);
  });
});

describe('a message as it is shown', () => {
  it('is text where it is text, bytes where it is not, and shortened', () => {
    expect(showPayload(null)).toBe('');
    expect(showPayload(Buffer.from('{"level":-1}'))).toBe('{"level":-1}');
    expect(showPayload(Buffer.from('Grüße\n€'))).toBe('Grüße\n€');
    expect(showPayload(Uint8Array.from([0x81, 0xa1, 0x00]))).toBe('81 a1 00');
    expect(showPayload(Buffer.from('a\u0000b'))).toBe('61 00 62');
    const long = showPayload(Buffer.from('x'.repeat(5000)));
    expect(long).toHaveLength(2001);
    expect(long.endsWith('…')).toBe(true);
    expect(showPayload(new Uint8Array(5000)).endsWith(' …')).toBe(true);
    // A letter of several bytes that the cut would halve is left out, not shown as noise.
    expect(showPayload(Buffer.from('€'.repeat(2000)))).toMatch(/^€+…$/);
  });
});
