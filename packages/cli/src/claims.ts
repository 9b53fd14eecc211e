import { counted } from '@peatmoor/core';
import type { Command } from 'commander';
import { done, print, readCount, readDuration, showTime, table } from './output';
import { kindByName } from './kindByName';
import { signedInClient } from './settings';

const DAY_MS = 86_400_000;

/** kind claim new|list|end|reopen: one program for many boards, each fetching its own device and token. */
export function claimCommands(kind: Command): void {
  const claim = kind
    .command('claim')
    .description('secrets with which boards fetch a device and token of their own');
  claim
    .command('new <kind>')
    .description('make a claim secret; it is shown once')
    .option('--most <boards>', 'how many boards may claim', '100')
    .option('--for <time>', 'how long it holds', '30d')
    .option('--title <title>', 'what it is for')
    .addHelpText('after', '\nExample:\n  peatmoor kind claim new Dipwell --most 40 --for 7d')
    .action(
      async (name: string, options: { most: string; for: string; title?: string }, command: Command) => {
        const client = signedInClient();
        const { id } = await kindByName(client, name);
        const body = {
          most: readCount(options.most, '--most'),
          days: readDuration(options.for) / DAY_MS,
          ...(options.title !== undefined && { title: options.title }),
        };
        const made = await client.call('createClaim', { params: { kind: id }, body });
        const { address } = await client.call('me');
        print(command, made, (one) =>
          [
            `Claim secret, shown only now:  ${one.secret}`,
            `For ${counted(one.most, 'board')}, until ${showTime(one.endsAt)}. Each board sends its own serial once:`,
            '',
            `curl -H "Authorization: Bearer ${one.secret}" -d '{"serial": "A1"}' ${address.httpUrl}/device/claim`,
          ].join('\n'),
        );
      },
    );
  claim
    .command('list <kind>')
    .description('claim secrets of a kind, and the boards that claimed')
    .addHelpText('after', '\nExample:\n  peatmoor kind claim list Dipwell')
    .action(async (name: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      print(command, await client.call('listClaims', { params: { kind: id } }), (list) =>
        [
          table(
            ['claim', 'fingerprint', 'title', 'claimed', 'state'],
            list.map((one) => [
              one.id,
              one.fingerprint,
              one.title,
              `${one.used} of ${one.most}`,
              one.endedAt !== null
                ? `ended ${showTime(one.endedAt)}`
                : `${one.endsAt < Date.now() ? 'expired' : 'until'} ${showTime(one.endsAt)}`,
            ]),
            'No claim secrets yet.',
          ),
          ...list
            .filter(({ devices }) => devices.length > 0)
            .map((one) =>
              [
                '',
                table(
                  [`device of claim ${one.id}`, 'serial', 'claimed'],
                  one.devices.map((device) => [device.id, device.serial, showTime(device.claimedAt)]),
                  '',
                ),
              ].join('\n'),
            ),
        ].join('\n'),
      );
    });
  claim
    .command('end <kind> <claim>')
    .description('end a claim secret; boards that claimed go on')
    .addHelpText('after', '\nExample:\n  peatmoor kind claim end Dipwell 3')
    .action(async (name: string, number: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      await client.call('endClaim', { params: { kind: id, claim: number } });
      done(
        command,
        { claim: number, ended: true },
        'The claim secret no longer works: no board can claim with it.',
      );
    });
  claim
    .command('reopen <kind> <claim> <device>')
    .description('let the board of a device claim once more, because it has lost its token')
    .addHelpText('after', '\nExample:\n  peatmoor kind claim reopen Dipwell 3 dipwell-a1')
    .action(async (name: string, number: string, device: string, _options: unknown, command: Command) => {
      const client = signedInClient();
      const { id } = await kindByName(client, name);
      await client.call('reopenClaim', { params: { kind: id, claim: number }, body: { device } });
      done(
        command,
        { device, mayClaim: true },
        `The board of ${device} may claim once more; its tokens end when it does.`,
      );
    });
}
