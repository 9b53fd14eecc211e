import fs from 'node:fs';
import path from 'node:path';
import { counted, PromptError, putOnBoard, STARTERS, type BoardFile, type StarterPlan } from '@peatmoor/core';
import { sha256, type Client, type Device } from '@peatmoor/contract';
import type { Command } from 'commander';
import { print, readDuration } from './output';
import { listPorts, openPort, type OpenPort } from './serial';
import { signedInClient, UsageError } from './settings';
import { planOf } from './starters';

/** What the MicroPython starter imports that not every board has. */
const MODULES = ['umqtt.simple'];
/** Largest file that is put on a board. */
const MOST_BYTES = 200_000;
const LOOK_MS = 1000;

interface Options {
  port?: string;
  from?: string;
  token?: string;
  wifi?: string;
  wifiPassword?: string;
  replace?: true;
  watch: string;
}

/** device install, device ports: the starter onto a plugged-in board, without a tool chain. */
export function installCommands(device: Command): void {
  device
    .command('ports')
    .description('serial ports on which a board may be plugged in')
    .addHelpText('after', '\nExample:\n  peatmoor device ports')
    .action(async (_options: unknown, command: Command) => {
      print(command, await listPorts(), (ports) =>
        ports.length === 0 ? 'No board is plugged in, or its cable carries no data.' : ports.join('\n'),
      );
    });
  device
    .command('install <device>')
    .description(
      'put the MicroPython starter on a plugged-in board, start it, and watch its first messages arrive',
    )
    .option('--port <port>', 'serial port of the board; the only one there is otherwise')
    .option('--wifi <name>', 'the Wi-Fi it joins; without it the board asks on a page of its own')
    .option('--wifi-password <password>', 'its password')
    .option('--token <token>', 'the device token; a new one is made otherwise')
    .option('--from <folder>', 'a folder with your own files, in place of a fresh starter')
    .option('--replace', 'replace main.py and boot.py on the board too, where they are there already')
    .option(
      '--watch <time>',
      'how long to show what the board prints, until its first reading has come',
      '60s',
    )
    .addHelpText(
      'after',
      '\nExamples:\n  peatmoor device install dipwell-north --wifi moss\n  peatmoor device install dipwell-north --port /dev/ttyUSB0 --from dipwell',
    )
    .action(async (id: string, options: Options, command: Command) => {
      const watchMs = readDuration(options.watch);
      const client = signedInClient();
      const one = await client.call('readDevice', { params: { device: id } });
      const files =
        options.from === undefined ? await freshFiles(client, one, options) : filesIn(options.from);
      const port = options.port ?? (await onlyPort());
      const line = await openPort(port);
      try {
        const { isTTY } = process.stderr;
        const outcome = await putOnBoard(
          line,
          files,
          { sumOf: sha256, replace: options.replace ?? false, modules: MODULES },
          (share, name) => {
            if (isTTY) process.stderr.write(`\r\u001b[K${Math.round(share * 100)} %, ${name}`);
          },
        ).catch((error: Error) => {
          throw error instanceof PromptError ? new Error(error.message) : error;
        });
        if (isTTY) process.stderr.write('\r\u001b[K');
        const proof = await watch(client, one, line, watchMs, command);
        print(command, { port, ...outcome, ...proof }, ({ written, kept, missing, reading }) =>
          [
            `${counted(written.length, 'file')} on the board: ${written.join(', ')}.`,
            ...(kept.length > 0 ? [`Left as they are: ${kept.join(', ')} (--replace replaces them).`] : []),
            ...missing.map(
              (name) =>
                `The board has no ${name}. With the internet, on its prompt: import mip; mip.install("${name}")`,
            ),
            reading
              ? `The first reading of ${one.name} has come.`
              : `No reading of ${one.name} has come yet. What is missing is on its page.`,
          ].join('\n'),
        );
        if (!proof.reading) process.exitCode = 1;
      } finally {
        await line.close();
      }
    });
}

async function freshFiles(client: Client, device: Device, options: Options): Promise<BoardFile[]> {
  const kind = await client.call('readKind', { params: { kind: device.kindId } });
  const token =
    options.token ??
    (
      await client.call('createToken', {
        params: { device: device.id },
        body: { title: `installed ${new Date().toISOString().slice(0, 16).replace('T', ' ')}` },
      })
    ).secret;
  const plan: StarterPlan = {
    ...(await planOf(client, device, kind, token)),
    wifi: { name: options.wifi ?? '', password: options.wifiPassword ?? '' },
  };
  return STARTERS.micropython
    .make(plan)
    .filter(({ path: name }) => name.endsWith('.py'))
    .map(({ path: name, text, generated }) => ({ path: name, text, own: !generated }));
}

/** Python files of a folder; they are the maker's, and what is on the board gives way to them. */
function filesIn(folder: string): BoardFile[] {
  if (!fs.existsSync(folder)) throw new UsageError(`There is no folder "${folder}".`);
  const names = fs
    .readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.py'))
    .sort();
  if (!names.includes('main.py'))
    throw new UsageError(
      `"${folder}" has no main.py. Write the starter there first: peatmoor device starter … micropython --out ${folder}`,
    );
  return names.map((name) => {
    const file = path.join(folder, name);
    if (fs.statSync(file).size > MOST_BYTES) throw new UsageError(`${file} is too large for a board.`);
    return { path: name.split(path.sep).join('/'), text: fs.readFileSync(file, 'utf8'), own: false };
  });
}

async function onlyPort(): Promise<string> {
  const ports = await listPorts();
  if (ports.length === 1) return ports[0]!;
  throw new UsageError(
    ports.length === 0
      ? 'No board is plugged in, or its cable carries no data. Say which port it is: --port /dev/…'
      : `Several ports are there: ${ports.join(', ')}. Say which: --port …`,
  );
}

/** What the board prints, and beside it how far it has come on the service, until its first reading from now on. */
async function watch(
  client: Client,
  before: Device,
  line: OpenPort,
  forMs: number,
  command: Command,
): Promise<{ printed: string; reading: boolean }> {
  const json = command.optsWithGlobals<{ json?: boolean }>().json === true;
  const since = Date.now();
  const known = new Map(before.newest.map(({ key, at }) => [key, at]));
  let printed = '';
  let half = '';
  const say = (mark: string, text: string): void => {
    if (!json) process.stdout.write(`${mark} ${text}\n`);
  };
  line.follow((text) => {
    printed = (printed + text).slice(-20_000);
    const lines = (half + text).split(/\r?\n/);
    half = lines.pop()!;
    for (const one of lines) say('  board  ', one);
  });
  const told = new Set<string>();
  const STEPS = [
    ['tokenRightAt', 'the token is right'],
    ['connectedAt', 'connected'],
  ] as const;
  for (
    const end = since + forMs;
    Date.now() < end;
    await new Promise((resolve) => setTimeout(resolve, LOOK_MS))
  ) {
    const { proof, newest } = await client.call('readDevice', { params: { device: before.id } });
    const tell = (name: string, words: string): void => {
      if (told.has(name)) return;
      told.add(name);
      say('  service', words);
    };
    if (proof.trouble !== null && proof.trouble.at >= since)
      tell(proof.trouble.hint, `✗ ${proof.trouble.hint}`);
    for (const [name, words] of STEPS) if ((proof[name] ?? 0) >= since - 60_000) tell(name, `✓ ${words}`);
    const fresh = newest.filter(({ key, at }) => at > (known.get(key) ?? 0));
    if (fresh.length === 0) continue;
    tell('reading', `✓ ${fresh.map(({ key, text }) => `${key} ${text}`).join(', ')}`);
    return { printed, reading: true };
  }
  return { printed, reading: false };
}
