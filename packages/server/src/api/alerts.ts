import { counted, hostOf, mayDo, type Role } from '@peatmoor/core';
import type { Request } from 'express';
import { createHash, randomBytes } from 'node:crypto';
import type { AlertChoicesIn, AlertLink, AlertsOfMe, PushPlace, Webhook } from '@peatmoor/contract';
import { valuesOf } from '../alerts/asSent';
import { mannerOf } from '../alerts/manner';
import { lookAtMuted } from '../alerts/muted';
import { NO_MAIL } from '../alerts/channels/email';
import { demandReader, type LinkFor } from '../alerts/links';
import { choicesOf } from '../alerts/reaching';
import { now as clockNow } from '../clock';
import { conflict, notFound, wrongField } from '../problems';
import type { EventRow, PushPlaceRow, WebhookRow } from '../store/models';
import { addTo, changeIn, deleteIn, findAll, findOne, listIn, oneIn } from '../store/rows';
import { askAddress } from './addresses';
import { numberOf, type ApiParts, type Handlers } from './context';
import { commentsOf, MOST_COMMENTS } from './events';
import { demand, scopeOf } from './scope';

type AlertHandlers = Pick<
  Handlers,
  | 'readMyAlerts'
  | 'changeMyAlerts'
  | 'testAlert'
  | 'addPushPlace'
  | 'removePushPlace'
  | 'listWebhooks'
  | 'createWebhook'
  | 'deleteWebhook'
  | 'listAddresses'
  | 'askAddress'
  | 'readAlertLink'
  | 'useAlertLink'
  | 'commentAlertLink'
>;

/** Phones and browsers of one person, and webhooks of one workspace, at the most. */
const MOST_PLACES = 20;
const MOST_WEBHOOKS = 50;
/** How often a person may send tests: they go out to others. */
const TEST_EVERY_MS = 2000;
const ASK_EVERY_MS = 60_000;
const SECRET_BYTES = 24;
/** Values that one page behind a link reads. */
const MOST_VALUES = 20;
/** Alerts of one message that are acknowledged by one link. */
const MOST_TOGETHER = 500;

const hashOf = (text: string): Buffer => createHash('sha256').update(text).digest();
const toPlace = ({ id, name, createdAt, deliveredAt, endpointHash }: PushPlaceRow): PushPlace => ({
  id,
  name,
  createdAt,
  deliveredAt,
  mark: endpointHash.toString('hex').slice(0, 16),
});
/** What is behind the host of an address is usually a secret: below editor it is not seen. */
const toWebhook = ({ id, title, url, template, revision }: WebhookRow, role: Role): Webhook => ({
  id,
  title,
  url: mayDo(role, 'change') ? url : `${hostOf(url)}/…`,
  template,
  version: revision ?? 1,
});

export function alertHandlers(parts: ApiParts): AlertHandlers {
  const { store, config, links, pushKeys, senders, bus } = parts;
  const { models } = store;
  const tested = new Map<number, number>();

  const mine = async (userId: number): Promise<AlertsOfMe> => {
    const user = await findOne(models.users, { id: userId });
    const places = await findAll(models.pushPlaces, { where: { userId }, order: ['id'] });
    return {
      choices: choicesOf(user?.alertChoices ?? {}),
      places: places.map(toPlace),
      pushKey: pushKeys.publicKey,
      mailTrouble: config.smtpUrl === null ? NO_MAIL : '',
    };
  };
  const isDone = ({ acknowledgedAt, closedAt }: EventRow): boolean =>
    acknowledgedAt !== null || closedAt !== null;
  /** The events that one message told of. */
  const eventsOf = async ({ message }: { message: string }): Promise<EventRow[]> => {
    const alerts = await findAll(models.alerts, {
      where: { messageId: message },
      attributes: ['eventId'],
      limit: MOST_TOGETHER,
    });
    const ids = [...new Set(alerts.map(({ eventId }) => eventId))];
    return ids.length === 0 ? [] : findAll(models.events, { where: { id: ids }, order: ['id'] });
  };
  /** What an event is about as it is now, with its unit, for whom a link was made. */
  const valueNow = async (
    event: EventRow,
    { userId }: { userId: number | null },
  ): Promise<Pick<AlertLink, 'value' | 'valueAt'>> => {
    const rule = await findOne(models.rules, { id: event.ruleId, workspaceId: event.workspaceId });
    const workspace = await findOne(models.workspaces, { id: event.workspaceId });
    const reader = userId === null ? null : await findOne(models.users, { id: userId });
    const { title, now, at } = await valuesOf(parts, event, rule, mannerOf(reader, workspace?.zone ?? 'UTC'));
    return now === '' ? { value: '', valueAt: null } : { value: `${title}: ${now}`, valueAt: at };
  };
  /** What a link is for, as it stands now; null where what it was for is gone. */
  const linkOf = async (link: LinkFor): Promise<AlertLink | null> => {
    const nothing = {
      severity: null,
      eventId: null,
      openedAt: null,
      closedAt: null,
      acknowledgedBy: '',
      value: '',
      valueAt: null,
      sentence: '',
      chart: false,
      comments: [],
      events: [],
    };
    if (link.what === 'events') {
      const events = await eventsOf(link);
      if (events.length === 0) return null;
      await demandReader(
        store,
        link,
        events.map(({ workspaceId }) => workspaceId),
      );
      const shown: AlertLink['events'] = [];
      for (const event of events) {
        const done = isDone(event);
        const title = `${event.title} (${event.deviceName})`;
        const value = done || shown.length >= MOST_VALUES ? '' : (await valueNow(event, link)).value;
        shown.push({ title, severity: event.severity, value, done });
      }
      return {
        ...nothing,
        what: 'events',
        title: counted(events.length, 'event'),
        to: link.to,
        events: shown,
        done: events.every(isDone),
      };
    }
    if (link.what === 'event') {
      const event = await findOne(models.events, { id: link.eventId });
      if (event === null) return null;
      await demandReader(store, link, [event.workspaceId]);
      return {
        ...nothing,
        ...(await valueNow(event, link)),
        sentence: event.sentence,
        chart: event.value !== null,
        comments: await commentsOf(store, event),
        what: 'event',
        title: `${event.title} (${event.deviceName})`,
        to: link.to,
        severity: event.severity,
        eventId: event.id,
        openedAt: event.openedAt,
        closedAt: event.closedAt,
        acknowledgedBy: event.acknowledgedBy,
        done: isDone(event),
      };
    }
    if (link.what === 'stop') {
      const rule = await findOne(models.rules, { id: link.ruleId });
      if (rule === null) return null;
      const [stop] = (await store.withConnection((connection) =>
        connection.query('SELECT 1 FROM alertStops WHERE ruleId = ? AND recipient = ?', [rule.id, link.to]),
      )) as unknown[];
      return { ...nothing, what: 'stop', title: rule.title, to: link.to, done: stop !== undefined };
    }
    const address = await findOne(models.addresses, { id: link.addressId });
    if (address === null) return null;
    const workspace = await findOne(models.workspaces, { id: address.workspaceId });
    return {
      ...nothing,
      what: 'address',
      title: workspace?.title ?? '',
      to: address.email,
      done: address.confirmedAt !== null,
    };
  };
  const readLink = async (text: string | undefined): Promise<{ link: LinkFor; shown: AlertLink }> => {
    const link = links.read(text ?? '');
    const shown = link === null ? null : await linkOf(link);
    if (link === null || shown === null)
      throw notFound(
        'link',
        'this; it may be cut short, or what it was for is gone. Open the console instead',
      );
    return { link, shown };
  };

  /** The events of a link, and in whose name something is done by it. Throws the problem where it is not theirs any more. */
  const asReader = async (
    link: Extract<LinkFor, { what: 'event' | 'events' }>,
    request: Request,
  ): Promise<{ events: EventRow[]; by: string }> => {
    // Whoever is signed in as somebody else does nothing in that name.
    const scope = await scopeOf(store, request);
    if (scope !== null && link.userId !== null && scope.userId !== link.userId)
      throw conflict(
        `This link was sent to ${link.to}. You are signed in as ${scope.userName}: acknowledge it in the console.`,
      );
    const events =
      link.what === 'events'
        ? await eventsOf(link)
        : await findAll(models.events, { where: { id: link.eventId } });
    const user = link.userId === null ? null : await findOne(models.users, { id: link.userId });
    return { events, by: (user?.name ?? link.to).slice(0, 80) };
  };

  return {
    readMyAlerts: ({ scope }) => mine(scope.userId),
    changeMyAlerts: async ({ scope, body }) => {
      const { ways = (await mine(scope.userId)).choices.ways, ...choices } = body as AlertChoicesIn;
      await models.users.update(
        { alertChoices: JSON.stringify({ ...choices, ways }) as never },
        { where: { id: scope.userId } },
      );
      await store.withConnection((connection) => lookAtMuted(connection, { userId: scope.userId }));
      return mine(scope.userId);
    },
    testAlert: async ({ scope, body }) => {
      const { channel, id } = body as { channel: string; id?: number };
      // A webhook is the workspace's, not one's own.
      if (channel === 'webhook') demand(scope, 'change');
      const now = clockNow();
      if (now - (tested.get(scope.userId) ?? 0) < TEST_EVERY_MS)
        throw conflict('A test was sent just now. Wait two seconds.');
      tested.set(scope.userId, now);
      if (tested.size > 10_000) tested.clear();
      const hops = await senders.get(channel)!.test!({
        userId: scope.userId,
        email: scope.email,
        workspaceId: scope.workspaceId,
        ...(id !== undefined && { id }),
      });
      return { sent: hops.every(({ ok }) => ok), hops };
    },
    addPushPlace: async ({ scope, body }) => {
      const { name, endpoint, keys } = body as {
        name: string;
        endpoint: string;
        keys: PushPlaceRow['secrets'];
      };
      const isSecure = /^https:\/\/[^\s]+$/.test(endpoint);
      if (!isSecure && !(config.privateAddresses && /^http:\/\/[^\s]+$/.test(endpoint)))
        throw wrongField('endpoint', 'is not an https address', 'Give what the browser gave.');
      const key = Buffer.from(keys.p256dh, 'base64url');
      if (key.length !== 65 || key[0] !== 4 || Buffer.from(keys.auth, 'base64url').length !== 16)
        throw wrongField('keys', 'are not keys of RFC 8291', 'Give what the browser gave.');
      const endpointHash = hashOf(endpoint);
      const others = await findAll(models.pushPlaces, { where: { userId: scope.userId } });
      if (others.filter((one) => !one.endpointHash.equals(endpointHash)).length >= MOST_PLACES)
        throw conflict(`You have ${MOST_PLACES} phones and browsers already. Remove one first.`);
      // One browser is one person's: whoever signs in there next takes it over.
      await store.withConnection((connection) =>
        connection.query(
          `INSERT INTO pushPlaces (userId, endpointHash, endpoint, secrets, name, createdAt) VALUES (?, ?, ?, ?, ?, ?)
            ON DUPLICATE KEY UPDATE userId = VALUES(userId), secrets = VALUES(secrets), name = VALUES(name)`,
          [scope.userId, endpointHash, endpoint, JSON.stringify(keys), name, clockNow()],
        ),
      );
      // There is a way again.
      await store.withConnection((connection) =>
        connection.query("DELETE FROM unreached WHERE channel IN ('', 'push') AND recipient = ?", [
          String(scope.userId),
        ]),
      );
      return toPlace((await findOne(models.pushPlaces, { endpointHash, userId: scope.userId }))!);
    },
    removePushPlace: async ({ scope, params }) => {
      const count = await models.pushPlaces.destroy({
        where: { id: numberOf(params.phone, 'phone'), userId: scope.userId },
      });
      if (count === 0) throw notFound('phone', params.phone ?? '');
    },
    listWebhooks: async ({ scope }) =>
      (await listIn(models.webhooks, scope.workspaceId, { order: ['id'] })).map((row) =>
        toWebhook(row, scope.role),
      ),
    createWebhook: async ({ scope, body }) => {
      const { title, url, template = '' } = body as { title: string; url: string; template?: string };
      if ((await listIn(models.webhooks, scope.workspaceId, {})).length >= MOST_WEBHOOKS)
        throw conflict(`There are ${MOST_WEBHOOKS} webhooks already. Delete one first.`);
      const secret = `hook_${randomBytes(SECRET_BYTES).toString('base64url')}`;
      const row = await addTo(models.webhooks, scope.workspaceId, {
        title,
        url,
        template,
        secret,
        createdAt: clockNow(),
      });
      return { ...toWebhook(row, scope.role), secret };
    },
    deleteWebhook: async ({ scope, params }) => {
      if (
        (await deleteIn(models.webhooks, scope.workspaceId, { id: numberOf(params.webhook, 'webhook') })) ===
        0
      )
        throw notFound('webhook', params.webhook ?? '');
    },
    listAddresses: async ({ scope }) =>
      (await listIn(models.addresses, scope.workspaceId, { order: ['email'] })).map(
        ({ id, email, askedAt, confirmedAt }) => ({ id, email, askedAt, confirmedAt }),
      ),
    askAddress: async ({ scope, params }) => {
      const row = await oneIn(models.addresses, scope.workspaceId, {
        id: numberOf(params.address, 'address'),
      });
      if (row === null) throw notFound('address', params.address ?? '');
      if (row.confirmedAt !== null) throw conflict('This address has agreed already.');
      if (clockNow() - row.askedAt < ASK_EVERY_MS)
        throw conflict('This address was asked just now. Wait a minute.');
      const { id, email, askedAt, confirmedAt } = await askAddress(parts, scope, row).catch(
        (error: Error) => {
          throw conflict(`The address could not be asked: ${error.message}`);
        },
      );
      return { id, email, askedAt, confirmedAt };
    },
    readAlertLink: async ({ params }) => (await readLink(params.link)).shown,
    commentAlertLink: async ({ params, request, body }) => {
      const { link } = await readLink(params.link);
      if (link.what !== 'event' && link.what !== 'events')
        throw conflict('This link is about no event: there is nothing to comment on.');
      const { events, by } = await asReader(link, request);
      for (const { id, workspaceId, remark } of events) {
        if ((await models.eventComments.count({ where: { eventId: id } })) >= MOST_COMMENTS)
          throw conflict(`${MOST_COMMENTS} comments stand on this event already; no more can be added.`);
        await addTo(models.eventComments, workspaceId, {
          eventId: id,
          at: clockNow(),
          madeBy: by,
          text: body.text,
        });
        if (remark === '') await changeIn(models.events, workspaceId, { id }, { remark: body.text });
        bus.emit('live', { workspaceId, message: { type: 'changed', what: 'events', id } });
      }
      return (await linkOf(link))!;
    },
    useAlertLink: async ({ params, request }) => {
      const { link, shown } = await readLink(params.link);
      const now = clockNow();
      if (link.what === 'event' || link.what === 'events') {
        const { events, by } = await asReader(link, request);
        for (const { id, workspaceId, acknowledgedAt, closedAt } of events) {
          if (acknowledgedAt !== null || closedAt !== null) continue;
          await changeIn(
            models.events,
            workspaceId,
            { id, acknowledgedAt: null },
            { acknowledgedAt: now, acknowledgedBy: by, remindAt: null, escalateAt: null },
          );
          bus.emit('live', { workspaceId, message: { type: 'changed', what: 'events', id } });
        }
      } else if (link.what === 'stop') {
        const rule = (await findOne(models.rules, { id: link.ruleId }))!;
        await store.withConnection((connection) =>
          connection.query(
            'INSERT IGNORE INTO alertStops (ruleId, recipient, workspaceId) VALUES (?, ?, ?)',
            [rule.id, link.to, rule.workspaceId],
          ),
        );
      } else if (!shown.done)
        await models.addresses.update({ confirmedAt: now }, { where: { id: link.addressId } });
      return (await linkOf(link))!;
    },
  };
}
