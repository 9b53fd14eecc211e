import { Op, type WhereOptions } from 'sequelize';
import type { Comment, Event, EventCounts, Severity, WholeEvent } from '@peatmoor/contract';
import { now as clockNow } from '../clock';
import { conflict, notFound } from '../problems';
import type { AlertRow, EventRow } from '../store/models';
import { addTo, changeIn, findAll, listIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';
import { numberOf, type ApiParts, type Handlers } from './context';
import { ofDevicesIn, pageIn, period } from './pages';
import { containsAnyCase } from '../store/filters';
import { tellRules } from '../rules/tell';
import type { Scope } from './scope';

type EventHandlers = Pick<
  Handlers,
  | 'listEvents'
  | 'countEvents'
  | 'changeEvents'
  | 'readEvent'
  | 'acknowledgeEvent'
  | 'commentEvent'
  | 'closeEvent'
>;

const DAY_MS = 86_400_000;
/** Tries and commands of one event in an answer at the most. */
const MOST_TOLD = 500;
/** Comments on one event. */
export const MOST_COMMENTS = 200;
/** Alerts of each event that a list tells of. */
const MOST_LISTED = 40;

export function eventHandlers(parts: ApiParts): EventHandlers {
  const { store, bus } = parts;
  const { models } = store;
  const tell = (scope: Scope, id: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'events', id, by: scope.userName },
    });
  const eventOf = async (scope: Scope, text: string | undefined): Promise<EventRow> => {
    const row = await oneIn(models.events, scope.workspaceId, { id: numberOf(text, 'event') });
    if (row === null) throw notFound('event', text ?? '');
    return row;
  };
  const describe = async (scope: Scope, rows: EventRow[]): Promise<Event[]> => {
    const alerts = new Map<number, AlertRow[]>();
    for (const alert of await findAll(models.alerts, {
      where: { eventId: rows.map(({ id }) => id), workspaceId: scope.workspaceId },
      // Not what they say: that may be long.
      attributes: [
        'id',
        'eventId',
        'channel',
        'recipient',
        'phase',
        'state',
        'queuedAt',
        'dueAt',
        'sentAt',
        'error',
        'userId',
      ],
      order: ['id'],
    }))
      alerts.set(alert.eventId, [...(alerts.get(alert.eventId) ?? []), alert]);
    const users = new Map(
      (
        await findAll(models.users, {
          where: { id: [...new Set([...alerts.values()].flat().flatMap(({ userId }) => userId ?? []))] },
          attributes: ['id', 'name'],
        })
      ).map(({ id, name }) => [id, name] as const),
    );
    const webhooks = new Map(
      (await listIn(models.webhooks, scope.workspaceId, { attributes: ['id', 'title'] })).map(
        ({ id, title }) => [String(id), title] as const,
      ),
    );
    const shown = ({ channel, recipient, userId }: AlertRow): string => {
      if (channel === 'webhook') return webhooks.get(recipient) ?? 'a webhook that is gone';
      if (channel === 'control') return recipient.slice(recipient.indexOf('/') + 1);
      return userId === null ? recipient : (users.get(userId) ?? recipient);
    };
    return rows.map((row) => ({
      id: row.id,
      ruleId: row.ruleId,
      title: row.title,
      sentence: row.sentence,
      severity: row.severity,
      deviceId: row.deviceId,
      deviceName: row.deviceName,
      stream: row.streamKey,
      openedAt: row.openedAt,
      closedAt: row.closedAt,
      value: row.value,
      extreme: row.extreme,
      acknowledgedAt: row.acknowledgedAt,
      acknowledgedBy: row.acknowledgedBy,
      closedBy: row.closedBy,
      remark: row.remark,
      alerts: (alerts.get(row.id) ?? []).slice(-MOST_LISTED).map((alert) => ({
        id: alert.id,
        channel: alert.channel,
        recipient: shown(alert),
        phase: alert.phase,
        state: alert.state,
        queuedAt: alert.queuedAt,
        dueAt: alert.dueAt,
        at: alert.sentAt,
        error: alert.error,
      })),
    }));
  };
  const readOne = async (scope: Scope, id: number): Promise<Event> =>
    (await describe(scope, [await eventOf(scope, String(id))]))[0]!;
  const acknowledge = async (scope: Scope, event: EventRow, remark: string): Promise<boolean> => {
    if (event.acknowledgedAt !== null) return false;
    const count = await changeIn(
      models.events,
      scope.workspaceId,
      { id: event.id, acknowledgedAt: null },
      {
        acknowledgedAt: clockNow(),
        acknowledgedBy: scope.userName,
        ...(remark !== '' && { remark }),
        remindAt: null,
        escalateAt: null,
      },
    );
    if (count === 0) return false;
    if (remark !== '') await comment(scope, event.id, remark);
    tell(scope, event.id);
    return true;
  };
  const comment = async (scope: Scope, eventId: number, text: string): Promise<Comment> => {
    const at = clockNow();
    const { id } = await addTo(models.eventComments, scope.workspaceId, {
      eventId,
      at,
      madeBy: scope.userName.slice(0, 80),
      text,
    });
    return { id, at, by: scope.userName, text };
  };
  const close = (scope: Scope, events: readonly EventRow[], remark: string): Promise<void> =>
    tellRules(
      parts,
      scope.workspaceId,
      events.map(({ id }) => ({
        kind: 'event-closed',
        event: id,
        at: clockNow(),
        by: scope.userName,
        remark,
      })),
    );

  return {
    listEvents: async (call) => {
      const { scope, query } = call;
      const text = query.text === undefined ? null : String(query.text);
      const where = {
        ...(query.rule !== undefined && { ruleId: Number(query.rule) }),
        ...(query.severity !== undefined && { severity: query.severity as Severity }),
        ...(query.state === 'open' && { closedAt: null }),
        ...(query.state === 'unacknowledged' && { closedAt: null, acknowledgedAt: null }),
        ...(query.state === 'closed' && { closedAt: { [Op.ne]: null } }),
        [Op.and]: [
          ...(text === null
            ? []
            : [
                {
                  [Op.or]: ['title', 'deviceName', 'deviceId', 'remark'].map((column) =>
                    containsAnyCase(column, text),
                  ),
                },
              ]),
          ...(query.since === undefined
            ? []
            : [{ [Op.or]: [{ closedAt: null }, { closedAt: { [Op.gte]: Number(query.since) } }] }]),
        ],
        ...period('openedAt', query),
        deviceRowId: ofDevicesIn(
          scope.workspaceId,
          query.label === undefined ? undefined : String(query.label),
          query.device === undefined ? undefined : String(query.device),
        ),
      } as WhereOptions<EventRow>;
      return describe(
        scope,
        await pageIn(models.events, scope.workspaceId, call, {
          where,
          by: 'openedAt',
          id: 'id',
          direction: 'DESC',
          ...indexFor(query),
        }),
      );
    },
    countEvents: async ({ scope }): Promise<EventCounts> => {
      const [row] = (await store.withConnection((connection) =>
        connection.query(
          `SELECT COUNT(*) AS open, COALESCE(SUM(acknowledgedAt IS NULL), 0) AS unacknowledged, COALESCE(SUM(severity = 'urgent'), 0) AS urgent
            FROM events WHERE workspaceId = ? AND closedAt IS NULL AND deviceRowId IN (SELECT rowId FROM devices WHERE workspaceId = ?)`,
          [scope.workspaceId, scope.workspaceId],
        ),
      )) as Record<'open' | 'unacknowledged' | 'urgent', number>[];
      const failures = await listIn(models.alerts, scope.workspaceId, {
        where: { state: 'failed', queuedAt: { [Op.gt]: clockNow() - DAY_MS } } as never,
        order: [['id', 'DESC']],
        limit: 100,
      });
      return {
        open: Number(row!.open),
        unacknowledged: Number(row!.unacknowledged),
        urgent: Number(row!.urgent),
        failed: failures.length,
        failure: failures[0]?.error ?? '',
      };
    },
    changeEvents: async ({ scope, body }) => {
      const { events: ids, what, remark = '' } = body;
      const rows = await listIn(models.events, scope.workspaceId, { where: { id: ids, closedAt: null } });
      if (what === 'close') {
        if (rows.length > 0) await close(scope, rows, remark);
        if (remark !== '') for (const { id } of rows) await comment(scope, id, remark);
        return { changed: rows.length };
      }
      let changed = 0;
      for (const row of rows) if (await acknowledge(scope, row, remark)) changed++;
      return { changed };
    },
    readEvent: async ({ scope, params }): Promise<WholeEvent> => {
      const row = await eventOf(scope, params.event);
      const [event] = await describe(scope, [row]);
      const tries = await listIn(models.alertTries, scope.workspaceId, {
        where: { alertId: event!.alerts.map(({ id }) => id) },
        order: ['id'],
        limit: MOST_TOLD,
      });
      const commands = (await store.withConnection((connection) =>
        connection.query(
          `SELECT c.id, d.id AS deviceId, s.\`key\` AS stream, COALESCE(c.textValue, c.value) AS value, c.state, c.createdAt AS at FROM commands c JOIN devices d ON d.rowId = c.deviceRowId
            JOIN streams s ON s.id = c.streamId WHERE c.eventId = ? AND d.workspaceId = ? ORDER BY c.id LIMIT ?`,
          [row.id, scope.workspaceId, MOST_TOLD],
        ),
      )) as WholeEvent['commands'];
      return {
        ...event!,
        comments: await commentsOf(store, row),
        tries: tries.map(({ alertId, at, sent, outcome }) => ({ alertId, at, sent, outcome })),
        commands: commands.map((one) => ({
          ...one,
          id: Number(one.id),
          at: Number(one.at),
          value: String(one.value),
        })),
      };
    },
    acknowledgeEvent: async ({ scope, params, body }) => {
      const event = await eventOf(scope, params.event);
      await acknowledge(scope, event, body.remark ?? '');
      return readOne(scope, event.id);
    },
    commentEvent: async ({ scope, params, body }) => {
      const event = await eventOf(scope, params.event);
      if ((await models.eventComments.count({ where: { eventId: event.id } })) >= MOST_COMMENTS)
        throw conflict(`${MOST_COMMENTS} comments stand on this event already; no more can be added.`);
      const said = await comment(scope, event.id, body.text);
      tell(scope, event.id);
      return said;
    },
    closeEvent: async ({ scope, params, body }) => {
      const event = await eventOf(scope, params.event);
      if (event.closedAt !== null) throw conflict('This event is closed already.');
      await close(scope, [event], body.remark ?? '');
      if (body.remark) await comment(scope, event.id, body.remark);
      tell(scope, event.id);
      return readOne(scope, event.id);
    },
  };
}

/** What was said of an event, in the order in which it was. */
export const commentsOf = async (
  { models }: Store,
  { id, workspaceId }: Pick<EventRow, 'id' | 'workspaceId'>,
): Promise<Comment[]> =>
  (await listIn(models.eventComments, workspaceId, { where: { eventId: id }, order: ['id'] })).map(
    ({ madeBy, at, text, id: comment }) => ({ id: comment, at: Number(at), by: madeBy, text }),
  );

/** The key of a list where the database may choose one by which it reads all there is. */
function indexFor({ since, device, rule, label, state }: Record<string, unknown>): { index?: string } {
  if (device !== undefined) return since === undefined ? {} : { index: 'itsTimes' };
  const isNarrow = rule !== undefined || label !== undefined || (state !== undefined && state !== 'closed');
  return isNarrow ? {} : { index: 'workspaceId' };
}
