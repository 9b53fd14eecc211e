import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import readline from 'node:readline/promises';
import { Writable } from 'node:stream';
import { Command } from 'commander';
import { createClient, exportPath, KEY_SCOPES, type KeyScope } from '@peatmoor/contract';
import { print, readCount, say, showTime, table } from './output';
import { forgetSettings, keepSettings, readSettings, signedIn, signedInClient, UsageError } from './settings';

/** sign-in, sign-out, account, key. */
export function accountCommands(program: Command): void {
  program
    .command('sign-in')
    .description('sign in once; an access key is kept for later commands')
    .requiredOption('--url <url>', 'address of the service')
    .requiredOption('--email <email>', 'your email, or the name you sign in with')
    .option('--code <code>', 'six digits of your second factor, or a recovery code')
    .option('--password <password>', 'your password (or PEATMOOR_PASSWORD; asked for otherwise)')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor sign-in --url http://192.168.1.5:8420 --email warden@quillmere.example',
    )
    .action(
      async (options: { url: string; email: string; password?: string; code?: string }, command: Command) => {
        const url = options.url.replace(/\/+$/, '');
        if (!URL.canParse(url))
          throw new UsageError(`"${options.url}" is no address; write http://host:port.`);
        const password =
          options.password ?? process.env.PEATMOOR_PASSWORD ?? (await askSecretly('Password: '));
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
        const client = createClient({ baseUrl: url, fetch: keepCookie });
        const me = await client.call('signIn', {
          body: { email: options.email, password, ...(options.code !== undefined && { code: options.code }) },
        });
        const key = await client.call('createKey', {
          body: { title: `peatmoor on ${os.hostname()}`.slice(0, 80) },
        });
        await client.call('signOut');
        const email = me.user.email || me.user.name;
        keepSettings({ url, key: key.secret, keyId: key.id, email });
        print(
          command,
          { url, email, workspace: me.workspace.title, role: me.role },
          (one) => `Signed in to ${one.workspace} as ${one.email} (${one.role}).`,
        );
      },
    );
  program
    .command('sign-out')
    .description('end the access key of this computer and forget it')
    .addHelpText('after', '\nExample:\n  peatmoor sign-out')
    .action(async () => {
      const settings = readSettings();
      if (settings === null) return say('You were not signed in.');
      forgetSettings();
      await signedInClientOf(settings)
        .call('deleteKey', { params: { key: settings.keyId } })
        .catch((error: Error) =>
          say(`The key could not be ended on the service (${error.message}); end it on the page Settings.`),
        );
      say('Signed out.');
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
    .command('reset <account>')
    .description('on the machine of the service: a link with which an account sets a new password')
    .option('--data <folder>', 'data folder of the service (or PEATMOOR_DATA)')
    .option('--url <url>', 'address of the service', 'http://127.0.0.1:8420')
    .addHelpText('after', '\nExample:\n  peatmoor account reset warden@quillmere.example')
    .action(async (name: string, options: { data?: string; url: string }, command: Command) => {
      const folder = options.data ?? process.env.PEATMOOR_DATA ?? 'data';
      const file = path.join(folder, 'reset-key');
      let resetKey: string;
      try {
        resetKey = fs.readFileSync(file, 'utf8').trim();
      } catch (error) {
        throw new UsageError(
          `${file} cannot be read: ${(error as Error).message}. Run this on the machine of the service, as the one whose folder it is, while the service runs.`,
        );
      }
      const made = await createClient({ baseUrl: options.url.replace(/\/+$/, '') }).call('machineReset', {
        body: { account: name, key: resetKey },
      });
      print(command, made, ({ link, endsAt }) => `Works once, until ${showTime(endsAt)}:\n${link}`);
    });
  const key = program.command('key').description('access keys for programs');
  key
    .command('list')
    .description('your access keys')
    .addHelpText('after', '\nExample:\n  peatmoor key list')
    .action(async (_options: unknown, command: Command) => {
      const keys = await signedInClient().call('listKeys');
      print(command, keys, (list) =>
        table(
          ['key', 'title', 'fingerprint', 'may', 'made', 'newest use', 'ends'],
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
          throw new UsageError(`"${options.scope}" is no scope; there are: ${KEY_SCOPES.join(', ')}.`);
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
    .action(async (number: string) => {
      await signedInClient().call('deleteKey', { params: { key: number } });
      say('The key is ended.');
    });
}

const signedInClientOf = ({ url, key }: { url: string; key: string }) =>
  createClient({ baseUrl: url, headers: { authorization: `Bearer ${key}` } });

async function askSecretly(question: string): Promise<string> {
  if (!process.stdin.isTTY)
    throw new UsageError('No password was given. Use --password, or set PEATMOOR_PASSWORD.');
  process.stderr.write(question);
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const lines = readline.createInterface({ input: process.stdin, output: silent, terminal: true });
  const answer = await lines.question('');
  lines.close();
  process.stderr.write('\n');
  return answer;
}
