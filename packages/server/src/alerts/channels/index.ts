import type { AlertChannel, Recipient } from './channel';
import { control } from './control';
import { email } from './email';
import { person } from './person';
import { push } from './push';
import { role } from './role';
import { screen } from './screen';
import { webhook } from './webhook';

export {
  CannotBeSent,
  type ChannelParts,
  type Hop,
  type Message,
  type Recipient,
  type Sender,
} from './channel';

/** Every channel. Adding one is a file and a line here. */
const CHANNELS: readonly AlertChannel[] = [email, push, screen, webhook, control, person, role];
export const channelOf = (name: string): AlertChannel | undefined =>
  CHANNELS.find((channel) => channel.name === name);

/** What sends, by the names of their channels. */
export function startChannels(
  parts: Parameters<NonNullable<AlertChannel['start']>>[0],
): ReadonlyMap<string, ReturnType<NonNullable<AlertChannel['start']>>> {
  return new Map(
    CHANNELS.flatMap((channel) =>
      channel.start === undefined ? [] : [[channel.name, channel.start(parts)]],
    ),
  );
}

/** Somebody who is reached by a channel, as it is kept. */
export function recipientBy(name: 'email' | 'person' | 'role' | 'webhook', to: string | number): Recipient {
  return { channel: name, to: String(to), version: channelOf(name)!.version };
}

/** Recipients as they are stored, by whatever version, brought up to date; those of a channel that is not known stay away. */
export function readRecipients(stored: readonly Recipient[]): Recipient[] {
  return stored.flatMap((recipient) => {
    const channel = channelOf(recipient.channel);
    if (channel === undefined) return [];
    return recipient.version < channel.version ? (channel.upgrade?.(recipient) ?? recipient) : recipient;
  });
}
