import { createHash } from 'node:crypto';
import { findAll } from '../../store/rows';
import type { PushPlaceRow } from '../../store/models';
import { now as clockNow } from '../../clock';
import { sendTo } from '../guarded';
import { bySeverity, severalIn, withDone } from '../severity';
import { CannotBeSent, type AlertChannel, type ChannelParts, type Message, type Sender } from './channel';

/** Push messages to a person's phones and browsers (RFC 8030, 8291, 8292). `recipient` is the number of the person. */
export const push: AlertChannel = { name: 'push', version: 1, start: startPush };

/** How long a push service keeps a message for a phone that is off, in seconds. */
const URGENT_TTL_S = 86_400;
const TTL_S = 6 * 3600;
/** Bytes of what is encrypted: the whole message has 4096 at the most. */
const LONGEST_TEXT = 900;

/** What the service worker shows of a message. */
export interface PushContent {
  title: string;
  body: string;
  /** One of the same tag takes the place of the one before. */
  tag: string;
  url: string;
  severity: string;
  /** It is over: shown without a sound. */
  over: boolean;
  /** Where it can be acknowledged; null where there is nothing to acknowledge. */
  acknowledge: string | null;
}

/** At most 32 letters of base64url (RFC 8030 §5.4): newer messages about one event take the place of older ones. */
const topicOf = (tag: string): string => createHash('sha256').update(tag).digest('base64url').slice(0, 32);

function startPush({ store, config, pushKeys, links, publicUrl, log }: ChannelParts): Sender {
  const { pushPlaces } = store.models;
  const subjectOf = (): string =>
    publicUrl().startsWith('https://') ? publicUrl() : 'mailto:peatmoor@localhost.localdomain';

  /** Sends to one phone or browser; gives what its push service answered. */
  const sendOne = async (place: PushPlaceRow, content: PushContent): Promise<void> => {
    const urgent = content.severity === 'urgent' && !content.over;
    const { default: webpush } = await import('web-push');
    const details = webpush.generateRequestDetails(
      { endpoint: place.endpoint, keys: place.secrets },
      JSON.stringify(content),
      {
        vapidDetails: { subject: subjectOf(), ...pushKeys },
        TTL: urgent ? URGENT_TTL_S : TTL_S,
        urgency: urgent ? 'high' : content.over ? 'low' : 'normal',
        topic: topicOf(content.tag),
        contentEncoding: 'aes128gcm',
      },
    );
    const { status, text } = await sendTo(place.endpoint, {
      headers: details.headers as Record<string, string>,
      body: details.body ?? '',
      allowPrivate: config.privateAddresses,
    });
    if (status === 404 || status === 410) {
      await pushPlaces.destroy({ where: { id: place.id } });
      throw new CannotBeSent(
        `${place.name} takes no alerts any more: it was removed. Add it again on that phone.`,
      );
    }
    if (status < 200 || status >= 300) {
      const reason = `The push service of ${place.name} answered ${status}${text === '' ? '' : `: ${text.slice(0, 100)}`}`;
      throw status >= 500 || status === 429 ? new Error(reason) : new CannotBeSent(reason);
    }
    await pushPlaces.update({ deliveredAt: clockNow() }, { where: { id: place.id } });
  };
  const sendAll = async (userId: number, content: PushContent, id?: number) => {
    const places = await findAll(pushPlaces, { where: { userId, ...(id !== undefined && { id }) } });
    return Promise.all(
      places.map(async (place) => {
        try {
          await sendOne(place, content);
          return { place, error: null };
        } catch (error) {
          log.debug({ err: error }, 'a push message was not taken');
          return { place, error: error as Error };
        }
      }),
    );
  };
  return {
    async send(message) {
      const userId = Number(message.recipient);
      const outcomes = await sendAll(userId, contentOf(message, userId));
      if (outcomes.length === 0)
        throw new CannotBeSent('No phone or browser of this person takes alerts. Add one under Your alerts.');
      const taken = outcomes.filter(({ error }) => error === null);
      const again = outcomes.find(({ error }) => error !== null && !(error instanceof CannotBeSent));
      if (taken.length === 0) throw again?.error ?? outcomes[0]!.error!;
      return taken.map(({ place }) => place.name).join(', ');
    },
    async test({ userId, id }) {
      const outcomes = await sendAll(
        userId,
        {
          title: 'A test',
          body: 'So an alert of Peatmoor looks here.',
          tag: 'test',
          url: '/alerts',
          severity: 'notice',
          over: false,
          acknowledge: null,
        },
        id,
      );
      if (outcomes.length === 0)
        return [{ what: 'Phones and browsers', ok: false, detail: 'None takes alerts yet. Add this one.' }];
      return outcomes.map(({ place, error }) => ({
        what: `Taken by the push service of ${place.name}`,
        ok: error === null,
        detail: error?.message ?? '',
      }));
    },
    close: () => undefined,
  };

  function contentOf({ id, alerts }: Message, userId: number): PushContent {
    const { alert, event, done } = alerts.at(-1)!;
    const over = alerts.every(({ event: { closedAt } }) => closedAt !== null);
    if (alerts.length > 1 && new Set(alerts.map(({ event: { id } }) => id)).size > 1) {
      const open = alerts.filter(({ event: { closedAt } }) => closedAt === null);
      const ranked = bySeverity(alerts);
      return {
        title: severalIn(ranked),
        body: [...new Set(ranked.map(({ alert: { subject: one } }) => one))]
          .slice(0, 6)
          .join('\n')
          .slice(0, LONGEST_TEXT),
        tag: 'several',
        url: '/events',
        severity: open.some(({ event: { severity } }) => severity === 'urgent') ? 'urgent' : event.severity,
        over,
        acknowledge: alerts.some(
          ({ event: { closedAt, acknowledgedAt } }) => closedAt === null && acknowledgedAt === null,
        )
          ? `/api/alert-links/${links.make({ what: 'events', message: id, userId, to: alert.recipient })}`
          : null,
      };
    }
    return {
      title: alert.subject,
      body: withDone(alert.text, done).split('\n\n')[0]!.slice(0, LONGEST_TEXT),
      tag: `event-${event.id}`,
      url: `/events/${event.id}`,
      severity: event.severity,
      over,
      acknowledge:
        over || event.acknowledgedAt !== null
          ? null
          : `/api/alert-links/${links.make({ what: 'event', eventId: event.id, userId, to: alert.recipient })}`,
    };
  }
}
