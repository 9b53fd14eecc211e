import type { Config } from '../../config';
import type { AlertChannel, Recipient, Sender } from './channel';
import { email, startEmail } from './email';

export { CannotBeSent, type Recipient, type Sender } from './channel';

/** Every channel. Adding one is a file and a line in each of these two lists. */
const CHANNELS: readonly AlertChannel[] = [email];

export function startChannels(config: Pick<Config, 'smtpUrl' | 'mailFrom'>): ReadonlyMap<string, Sender> {
  return new Map([[email.name, startEmail(config.smtpUrl, config.mailFrom)]]);
}

/** Somebody who is reached by a channel, as it is kept. */
export function recipientBy(name: 'email', to: string): Recipient {
  return { channel: name, to, version: CHANNELS.find((one) => one.name === name)!.version };
}

/** Recipients as they are stored, by whatever version, brought up to date; those of a channel that is not known stay away. */
export function readRecipients(stored: readonly Recipient[]): Recipient[] {
  return stored.flatMap((recipient) => {
    const channel = CHANNELS.find(({ name }) => name === recipient.channel);
    if (channel === undefined) return [];
    return recipient.version < channel.version ? (channel.upgrade?.(recipient) ?? recipient) : recipient;
  });
}
