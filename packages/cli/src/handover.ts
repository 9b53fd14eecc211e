import { counted } from '@peatmoor/core';
import type { Command } from 'commander';
import { done, print, showTime } from './output';
import { signedInClient, UsageError } from './settings';

/** device offer|withdraw-offer|take: a device handed over to another workspace, with its history. */
export function handoverCommands(device: Command): void {
  device
    .command('offer <device>')
    .description('offer a device, with its history, to another workspace: gives a link that works once')
    .option('--new-token', 'the board gets a new token when it is taken; without it, it goes on with its own')
    .addHelpText('after', '\nExample:\n  peatmoor device offer dipwell-north')
    .action(async (id: string, options: { newToken?: true }, command: Command) => {
      const offer = await signedInClient().call('offerDevice', {
        params: { device: id },
        body: { keepsTokens: options.newToken !== true },
      });
      print(command, offer, ({ link, endsAt }) =>
        [
          `Hand this link over, until ${showTime(endsAt)}; it works once:`,
          '',
          `  ${link}`,
          '',
          'It is opened in a browser, or taken with: peatmoor device take LINK',
          'Whoever takes it has its history. This workspace then keeps nothing of it.',
        ].join('\n'),
      );
    });
  device
    .command('withdraw-offer <device>')
    .description('withdraw the offer of a device: its link does nothing any more')
    .addHelpText('after', '\nExample:\n  peatmoor device withdraw-offer dipwell-north')
    .action(async (id: string, _options: unknown, command: Command) => {
      await signedInClient().call('withdrawOffer', { params: { device: id } });
      done(command, { device: id, withdrawn: true }, `${id} is no longer offered.`);
    });
  device
    .command('take <link>')
    .description('take an offered device into your workspace; without --yes only says what it is')
    .option('--yes', 'yes, with its history')
    .addHelpText('after', '\nExample:\n  peatmoor device take "http://moor.example:8420/take#…" --yes')
    .action(async (link: string, options: { yes?: true }, command: Command) => {
      const secret = link.split('#')[1] ?? '';
      if (secret === '')
        throw new UsageError(
          'This is not the link of an offer: the secret behind # is missing. Put the whole of it in quotes.',
        );
      const client = signedInClient();
      const offered = await client.call('readOffer', { body: { secret } });
      if (options.yes !== true)
        return print(command, offered, ({ name, kind, from, readings, keepsTokens }) =>
          [
            `${name} (${kind}) of ${from}, with ${counted(readings, 'reading')}.`,
            keepsTokens
              ? 'Its board goes on with the token it has.'
              : 'Its board needs a new token, shown when it is taken.',
            'Take it with --yes.',
          ].join('\n'),
        );
      print(command, await client.call('takeDevice', { body: { secret } }), ({ deviceId, token }) =>
        [
          `${offered.name} is here, as ${deviceId}.`,
          ...(token === null ? [] : ['', `Its new token, shown only now:\n\n  ${token}`]),
        ].join('\n'),
      );
    });
}
