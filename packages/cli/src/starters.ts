import fs from 'node:fs';
import path from 'node:path';
import type { Command } from 'commander';
import {
  counted,
  inspectToken,
  keepSettings,
  STARTER_SORTS,
  STARTERS,
  type StarterFile,
  type StarterPlan,
  type StarterSort,
} from '@peatmoor/core';
import type { Client, Device, Kind } from '@peatmoor/contract';
import { kindByName } from './kindByName';
import { print } from './output';
import { signedInClient, UsageError } from './settings';

/** What a starter of a device is made from. */
export async function planOf(
  client: Client,
  device: Device,
  kind: Kind,
  token: string | null,
): Promise<StarterPlan> {
  const { address } = await client.call('me');
  const { publicKey } = await client.call('readFirmwareKey', { params: { kind: kind.id } });
  return {
    firmwareKey: publicKey,
    deviceId: device.id,
    deviceName: device.name,
    ...address,
    token,
    intervalS: kind.intervalS,
    streams: kind.streams,
  };
}

/** device starter */
export function starterCommand(device: Command): void {
  device
    .command('starter <device> <sort>')
    .description(`write a ready starter program; sorts: ${STARTER_SORTS.join(', ')}`)
    .option('--out <folder>', 'folder to write it to', '.')
    .option('--token <token>', 'the device token, to be put into the settings file')
    .addHelpText(
      'after',
      '\nExample:\n  peatmoor device starter dipwell-north python --token moor… --out dipwell',
    )
    .action(async (id: string, sort: string, options: { out: string; token?: string }, command: Command) => {
      const wanted = sortOf(sort, STARTER_SORTS);
      const client = signedInClient();
      const one = await client.call('readDevice', { params: { device: id } });
      const kind = await client.call('readKind', { params: { kind: one.kindId } });
      if (options.token !== undefined && inspectToken(options.token).state !== 'whole')
        throw new UsageError(
          'The text given with --token is not a whole device token. Copy all of it, from moor to its end.',
        );
      const plan = await planOf(client, one, kind, options.token ?? null);
      write(STARTERS[wanted].make(plan), options.out, command);
    });
}

/** kind starter: one program for many boards. */
export function kindStarterCommand(kind: Command): void {
  kind
    .command('starter <kind> <sort>')
    .description(
      `write one program for many boards, each claiming its own device; sorts: ${STARTER_SORTS.join(', ')}`,
    )
    .requiredOption('--claim <secret>', 'the claim secret (kind claim new)')
    .option('--out <folder>', 'folder to write it to', '.')
    .addHelpText('after', '\nExample:\n  peatmoor kind starter Dipwell cpp --claim claim_… --out dipwells')
    .action(async (name: string, sort: string, options: { claim: string; out: string }, command: Command) => {
      const wanted = sortOf(sort, STARTER_SORTS);
      if (!/^claim_\S{20,}$/.test(options.claim))
        throw new UsageError(
          'The text given with --claim is not a whole claim secret. It begins with claim_; make one: peatmoor kind claim new',
        );
      const client = signedInClient();
      const one = await kindByName(client, name);
      const { address } = await client.call('me');
      const { publicKey } = await client.call('readFirmwareKey', { params: { kind: one.id } });
      const plan: StarterPlan = {
        firmwareKey: publicKey,
        deviceId: '',
        deviceName: one.title,
        ...address,
        token: null,
        intervalS: one.intervalS,
        streams: one.streams,
        claim: { secret: options.claim },
      };
      write(STARTERS[wanted].make(plan), options.out, command);
    });
}

function sortOf(text: string, sorts: readonly StarterSort[]): StarterSort {
  const sort = sorts.find((one) => one === text);
  if (sort === undefined)
    throw new UsageError(`There is no starter "${text}"; there are: ${sorts.join(', ')}.`);
  return sort;
}

/** Writes generated files anew, and the maker's own only where there is none yet. */
function write(files: readonly StarterFile[], folder: string, command: Command): void {
  const written = files
    .map((file) => ({ file, target: path.join(folder, file.path) }))
    .filter(({ file, target }) => file.generated || !fs.existsSync(target));
  for (const { file, target } of written) {
    fs.mkdirSync(path.dirname(target), { recursive: true });
    // What was filled in in the settings there are stays.
    const there =
      /^settings\b/.test(path.basename(target)) && fs.existsSync(target)
        ? fs.readFileSync(target, 'utf8')
        : null;
    fs.writeFileSync(target, there === null ? file.text : keepSettings(file.text, there), {
      mode: file.generated ? 0o600 : 0o644,
    });
  }
  const kept = files.length - written.length;
  print(
    command,
    written.map(({ target }) => target),
    (list) =>
      `Written: ${list.join(', ')}${kept > 0 ? `. ${counted(kept, 'file of yours was left as it is', 'files of yours were left as they are')}` : ''}.`,
  );
}
