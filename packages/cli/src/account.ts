import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import readline from 'node:readline/promises';
import { Writable } from 'node:stream';
import { text } from 'node:stream/consumers';
import { Command } from 'commander';
import {
  createClient,
  exportPath,
  KEY_SCOPES,
  type Client,
  type KeyScope,
  type Me,
} from '@peatmoor/contract';
import { done, print, readCount, showTime, table } from './output';
import {
  forgetSettings,
  keepSettings,
  readSettings,
  signedIn,
  signedInClient,
  UsageError,
  withWord,
} from './settings';

/** sign-in, sign-out, account, key. */
export function accountCommands(program: Command): void {
  program
    .command('sign-in')
    .description('sign in once; an access key is kept for later commands')
    .requiredOption('--url <url>', 'address of the service')
    .requiredOption('--email <email>', 'your email, or the name you sign in with')
    .option('--code <code>', 'six digits of your second factor, or a recovery code')
    .option('--password <password>', 'your password (or PEATMOOR_PASSWORD; asked for otherwise)')
    .option('--password-stdin', 'read the password from standard input')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor sign-in --url http://192.168.1.5:8420 --email warden@quillmere.example',
    )
    .action(
      async (options: { url: string; email: string; code?: string } & PasswordOptions, command: Command) => {
        const url = readAddress(options.url);
        const { client, keep } = startSession(url);
        const password = await readPassword(options);
        const me = await client
          .call('signIn', {
            body: {
              email: options.email,
              password,
              ...(options.code !== undefined && { code: options.code }),
            },
          })
          .catch(async (error: Error) => {
            const status = await client.call('status').catch(() => null);
            throw status?.empty
              ? new UsageError(
                  `This service has no account yet. Make the first: peatmoor account new --url ${url} --name …`,
                )
              : error;
          });
        await keep(me);
        print(
          command,
          factsOf(url, me),
          (one) => `Signed in to ${one.workspace} as ${one.email} (${one.role}).`,
        );
      },
    );
  program
    .command('sign-out')
    .description('end the access key of this computer and forget it')
    .addHelpText('after', '\nExample:\n  peatmoor sign-out')
    .action(async (_options: unknown, command: Command) => {
      const settings = readSettings();
      if (settings === null)
        return done(command, { signedOut: false, keyEnded: false }, 'You were not signed in.');
      forgetSettings();
      const trouble = await signedInClientOf(settings)
        .call('deleteKey', { params: { key: settings.keyId } })
        .then(
          () => null,
          (error: Error) => error.message,
        );
      done(
        command,
        { signedOut: true, keyEnded: trouble === null },
        trouble === null
          ? 'Signed out.'
          : `Signed out here. The key could not be ended on the service (${trouble}); end it on the page Settings.`,
      );
    });
  const account = program
    .command('account')
    .description('who is signed in, and how boards reach the service')
    .addHelpText('after', '\nExample:\n  peatmoor account --json')
    .action(async (_options: unknown, command: Command) => {
      const me = await signedInClient().call('me');
      print(command, me, ({ user, workspace, role, address }) =>
        [
          `${user.name}${user.email === '' ? '' : ` <${user.email}>`}, ${role} of ${workspace.title}`,
          `Service  ${signedIn().url}`,
          `Boards   ${address.httpUrl} (HTTP), ${address.host} port ${address.mqttPort} (MQTT)`,
        ].join('\n'),
      );
    });
  account
    .command('new')
    .description(
      'make an account with its workspace: the first of a new service, or a further one where those are open',
    )
    .requiredOption('--url <url>', 'address of the service')
    .requiredOption('--name <name>', 'your name')
    .option('--email <email>', 'your email; without one you sign in with your name')
    .option('--workspace <title>', 'what the workspace is called')
    .option('--password <password>', 'your password (or PEATMOOR_PASSWORD; asked for otherwise)')
    .option('--password-stdin', 'read the password from standard input')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor account new --url http://192.168.1.5:8420 --name Warden --email warden@quillmere.example',
    )
    .action(
      async (
        options: { url: string; name: string; email?: string; workspace?: string } & PasswordOptions,
        command: Command,
      ) => {
        const url = readAddress(options.url);
        const { client, keep } = startSession(url);
        const me = await client.call('createAccount', {
          body: {
            name: options.name,
            password: await readPassword(options),
            ...(options.email !== undefined && { email: options.email }),
            workspace: options.workspace ?? options.name,
          },
        });
        await keep(me);
        print(
          command,
          factsOf(url, me),
          (one) =>
            `The account is made, and signed in to ${one.workspace}.\nNext: peatmoor device new "My first board" --part climate-wire`,
        );
      },
    );
  account
    .command('reset <account>')
    .description(
      'on the machine of the service: a link with which an account sets a new password, without its second factor',
    )
    .option('--data <folder>', 'data folder of the service (or PEATMOOR_DATA)')
    .option('--url <url>', 'address of the service', 'http://127.0.0.1:8420')
    .addHelpText('after', '\nExample:\n  peatmoor account reset warden@quillmere.example')
    .action(async (name: string, options: { data?: string; url: string }, command: Command) => {
      const made = await createClient({ baseUrl: options.url.replace(/\/+$/, '') }).call('machineReset', {
        body: { account: name, key: readMachineKey(options.data) },
      });
      print(command, made, ({ link, endsAt }) => `Works once, until ${showTime(endsAt)}:\n${link}`);
    });
  account
    .command('factor <state> <account>')
    .description('on the machine of the service: "off" takes the second factor off an account')
    .option('--data <folder>', 'data folder of the service (or PEATMOOR_DATA)')
    .option('--url <url>', 'address of the service', 'http://127.0.0.1:8420')
    .addHelpText('after', '\nExample:\n  peatmoor account factor off warden@quillmere.example')
    .action(
      async (state: string, name: string, options: { data?: string; url: string }, command: Command) => {
        if (state !== 'off')
          throw new UsageError(
            `"${state}" cannot be set here; write "off". A second factor is set up by its person, on the page Settings.`,
          );
        await createClient({ baseUrl: options.url.replace(/\/+$/, '') }).call('machineFactorOff', {
          body: { account: name, key: readMachineKey(options.data) },
        });
        done(command, { account: name, factor: 'off' }, `${name} signs in without a second factor now.`);
      },
    );
  const key = program.command('key').description('access keys for programs');
  key
    .command('list')
    .description('your access keys')
    .addHelpText('after', '\nExample:\n  peatmoor key list')
    .action(async (_options: unknown, command: Command) => {
      const keys = await signedInClient().call('listKeys');
      print(command, keys, (list) =>
        table(
          ['key', 'title', 'fingerprint', 'may', 'made', 'last used', 'ends'],
          list.map((one) => [
            one.id,
            one.title,
            one.fingerprint,
            [one.scope, one.deviceId].filter(Boolean).join(' '),
            showTime(one.createdAt),
            showTime(one.usedAt),
            showTime(one.endsAt),
          ]),
          'No access keys.',
        ),
      );
    });
  key
    .command('new <title>')
    .description('make an access key; it is shown once')
    .option('--scope <scope>', `what it may do: ${KEY_SCOPES.join(', ')}`, 'everything')
    .option('--device <device>', 'the one device, for the scopes of one')
    .option('--days <days>', 'days until it ends by itself')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor key new "spreadsheet at the hut" --scope read-device --device dipwell-north --days 365',
    )
    .action(
      async (title: string, options: { scope: string; device?: string; days?: string }, command: Command) => {
        if (!(KEY_SCOPES as readonly string[]).includes(options.scope))
          throw new UsageError(`"${options.scope}" is not a scope; there are: ${KEY_SCOPES.join(', ')}.`);
        const made = await signedInClient().call('createKey', {
          body: {
            title,
            scope: options.scope as KeyScope,
            deviceId: options.device ?? null,
            days: options.days === undefined ? null : readCount(options.days, '--days'),
          },
        });
        const sheet =
          made.deviceId === null || made.scope !== 'read-device'
            ? []
            : [
                '',
                'A sheet of the last thirty days, for a spreadsheet or script to fetch:',
                `  ${signedIn().url}${exportPath(made.deviceId, { format: 'sheet', days: 30, access_token: made.secret })}`,
              ];
        print(command, made, ({ secret }) =>
          [`The key, shown only now:`, '', `  ${secret}`, ...sheet].join('\n'),
        );
      },
    );
  key
    .command('end <key>')
    .description('end an access key')
    .addHelpText('after', '\nExample:\n  peatmoor key end 3')
    .action(async (number: string, _options: unknown, command: Command) => {
      await signedInClient().call('deleteKey', { params: { key: number } });
      done(command, { key: number, ended: true }, 'The key no longer works.');
    });
}

/** The key that the service wrote into its data folder: whoever reads it owns the machine. */
function readMachineKey(data: string | undefined): string {
  const file = path.join(data ?? process.env.PEATMOOR_DATA ?? 'data', 'reset-key');
  try {
    return fs.readFileSync(file, 'utf8').trim();
  } catch (error) {
    throw new UsageError(
      `${file} cannot be read: ${(error as Error).message}. Run this on the machine of the service, as the one whose folder it is, while the service runs.`,
    );
  }
}

interface PasswordOptions {
  password?: string;
  passwordStdin?: boolean;
}

async function readPassword(options: PasswordOptions): Promise<string> {
  if (options.passwordStdin) return (await text(process.stdin)).replace(/\r?\n$/, '');
  return options.password ?? process.env.PEATMOOR_PASSWORD ?? (await askSecretly('Password: '));
}

/** An address as it is written on a command line, without a slash at the end. */
function readAddress(given: string): string {
  const url = given.replace(/\/+$/, '');
  if (!URL.canParse(url) || !/^https?:/.test(url))
    throw new UsageError(`"${given}" is not an address; write http://host:port.`);
  return url;
}

/** A client with a session of this program's own; `keep` makes an access key of it, for later commands. */
function startSession(url: string): { client: Client; keep: (me: Me) => Promise<void> } {
  let cookie = '';
  const keepCookie: typeof fetch = async (input, init) => {
    const response = await fetch(input, {
      ...init,
      // The session is this program's own; it shows so as a page of the service would.
      headers: {
        origin: new URL(url).origin,
        ...(init?.headers as Record<string, string>),
        ...(cookie && { cookie }),
      },
    });
    cookie = response.headers.getSetCookie()[0]?.split(';')[0] ?? cookie;
    return response;
  };
  const client = createClient({ baseUrl: url, fetch: (input, init) => withWord(keepCookie(input, init)) });
  return {
    client,
    async keep(me) {
      const key = await client.call('createKey', {
        body: { title: `peatmoor on ${os.hostname()}`.slice(0, 80) },
      });
      await client.call('signOut');
      keepSettings({ url, key: key.secret, keyId: key.id, email: me.user.email || me.user.name });
    },
  };
}

const factsOf = (url: string, me: Me) => ({
  url,
  email: me.user.email || me.user.name,
  workspace: me.workspace.title,
  role: me.role,
});

const signedInClientOf = ({ url, key }: { url: string; key: string }) =>
  createClient({ baseUrl: url, headers: { authorization: `Bearer ${key}` } });

async function askSecretly(question: string): Promise<string> {
  if (!process.stdin.isTTY)
    throw new UsageError(
      'No password was given. Use --password-stdin or --password, or set PEATMOOR_PASSWORD.',
    );
  process.stderr.write(question);
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const lines = readline.createInterface({ input: process.stdin, output: silent, terminal: true });
  const answer = await lines.question('');
  lines.close();
  process.stderr.write('\n');
  return answer;
}
