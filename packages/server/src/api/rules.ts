import { CONDITIONS, readCondition, storeCondition, type Condition, type Fact } from '@peatmoor/core';
import { Op, type WhereOptions } from 'sequelize';
import type { Event, NewRule, Rule, Severity } from '@peatmoor/contract';
import { readRecipients, recipientBy } from '../alerts/channels';
import { conflict, notFound, unavailable, wrongField } from '../problems';
import { whom } from '../rules/events';
import type { EventRow, RuleRow } from '../store/models';
import { addTo, changeIn, deleteIn, findAll, listIn, oneIn } from '../store/rows';
import { numberOf, type ApiParts, type Handlers } from './context';
import { toStream } from './kinds';
import { ofDevicesIn, pageIn, period } from './pages';
import type { Scope } from './scope';
import { now as clockNow } from '../clock';

type RuleHandlers = Pick<
  Handlers,
  | 'listRules'
  | 'createRule'
  | 'readRule'
  | 'changeRule'
  | 'deleteRule'
  | 'listEvents'
  | 'acknowledgeEvent'
  | 'closeEvent'
>;

export function ruleHandlers({ store, bus, rules, journal }: ApiParts): RuleHandlers {
  const { models } = store;
  const tell = (scope: Scope, what: 'rules' | 'events', id: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what, id, by: scope.userName },
    });
  const rowOf = async (scope: Scope, text: string | undefined): Promise<RuleRow> => {
    const row = await oneIn(models.rules, scope.workspaceId, { id: numberOf(text, 'rule') });
    if (row === null) throw notFound('rule', text ?? '');
    return row;
  };
  /** A rule as its row, with device and kind of the caller's workspace. */
  const toRow = async (
    scope: Scope,
    body: NewRule,
  ): Promise<Omit<RuleRow, 'id' | 'workspaceId' | 'revision'>> => {
    const device =
      body.deviceId === null ? null : await oneIn(models.devices, scope.workspaceId, { id: body.deviceId });
    if (body.deviceId !== null && device === null)
      throw wrongField(
        'deviceId',
        `"${body.deviceId}" is no device of this workspace`,
        'Choose one of its devices.',
      );
    const kindId = device?.kindId ?? body.kindId!;
    const kind = await oneIn(models.kinds, scope.workspaceId, { id: kindId });
    if (kind === null)
      throw wrongField('kindId', `${kindId} is no kind of this workspace`, 'Choose one of its kinds.');
    const settings = settingsOf(body);
    const { sort } = readCondition(body.comparison, settings)!;
    const stream = await oneIn(models.streams, scope.workspaceId, { kindId, key: body.stream });
    if (stream === null && body.comparison !== 'raised')
      throw wrongField(
        'stream',
        `"${body.stream}" is no datastream of ${kind.title}`,
        'Choose one of its datastreams.',
      );
    if (body.comparison === 'not-confirmed' && stream?.follow == null)
      throw wrongField(
        'stream',
        `"${body.stream}" has nothing that must follow it`,
        'Say in the kind what must follow this control, then watch it.',
      );
    const wrong = sort.check(settings as never);
    if (wrong !== null) throw wrongField(wrong.field, wrong.reason, wrong.remedy);
    return {
      title: body.title,
      severity: body.severity,
      deviceRowId: device?.rowId ?? null,
      kindId: device === null ? kindId : null,
      streamKey: stream?.key ?? body.stream,
      sort: body.comparison,
      settings: storeCondition(body.comparison, settings),
      recipients: body.emails.map((email) => recipientBy('email', email)),
      active: body.active,
    };
  };
  const describe = async (scope: Scope, rows: RuleRow[]): Promise<Rule[]> => {
    // Only what these rules speak of, each found by its key.
    const devices = byKey(
      await listIn(models.devices, scope.workspaceId, {
        where: { rowId: rows.flatMap(({ deviceRowId }) => deviceRowId ?? []) },
      }),
      ({ rowId }) => rowId,
    );
    const kindOf = (row: RuleRow): number => devices.get(row.deviceRowId ?? 0)?.kindId ?? row.kindId ?? 0;
    const kindIds = [...new Set(rows.map(kindOf))];
    const kinds = byKey(
      await listIn(models.kinds, scope.workspaceId, { where: { id: kindIds } }),
      ({ id }) => id,
    );
    const streams = byKey(
      await listIn(models.streams, scope.workspaceId, {
        where: { kindId: kindIds, key: [...new Set(rows.map(({ streamKey }) => streamKey))] },
      }),
      ({ kindId, key }) => `${kindId} ${key}`,
    );
    const open = new Map<number, number>();
    for (const { ruleId } of await listIn(models.events, scope.workspaceId, {
      where: { closedAt: null, ruleId: rows.map(({ id }) => id) },
      attributes: ['ruleId'],
    }))
      open.set(ruleId, (open.get(ruleId) ?? 0) + 1);
    return rows.map((row) => {
      const device = devices.get(row.deviceRowId ?? 0);
      const kind = kinds.get(kindOf(row));
      const stream = streams.get(`${kind?.id} ${row.streamKey}`);
      const condition = readCondition(row.sort, row.settings);
      const spoken = {
        stream: stream === undefined ? undefined : toStream(stream),
        key: row.streamKey,
        whom: whom(row, { name: device?.name ?? '', kindTitle: kind?.title ?? '' }),
      };
      return {
        id: row.id,
        title: row.title,
        severity: row.severity,
        deviceId: device?.id ?? null,
        kindId: row.kindId,
        stream: row.streamKey,
        comparison: row.sort,
        ...shownSettings(condition?.settings ?? {}),
        emails: readRecipients(row.recipients).flatMap(({ channel, to }) => (channel === 'email' ? to : [])),
        active: row.active,
        version: row.revision,
        sentence:
          condition?.sort.sentence(condition.settings, spoken) ?? 'A condition that is not known here.',
        openEvents: open.get(row.id) ?? 0,
      };
    });
  };
  const one = async (scope: Scope, row: RuleRow): Promise<Rule> => (await describe(scope, [row]))[0]!;
  /** What happens to events is written by the one worker that reads the journal: it is told there, and waited for. */
  const tellWorker = async (fact: Fact): Promise<void> => {
    if (!journal.takes()) throw unavailable();
    journal.addFact(fact);
    await new Promise<void>((resolve) => journal.onDurable(() => resolve()));
    await rules.settled();
  };
  /** Open events of a rule that is no longer what it was are closed, now. */
  const renew = async (scope: Scope, ruleId: number): Promise<void> => {
    bus.emit('rules', { workspaceId: scope.workspaceId, ruleId });
    await tellWorker({ kind: 'rule-changed', rule: ruleId, at: clockNow() });
    tell(scope, 'rules', ruleId);
  };
  const eventOf = async (scope: Scope, text: string | undefined): Promise<EventRow> => {
    const row = await oneIn(models.events, scope.workspaceId, { id: numberOf(text, 'event') });
    if (row === null) throw notFound('event', text ?? '');
    return row;
  };
  const describeEvents = async (scope: Scope, rows: EventRow[]): Promise<Event[]> => {
    const alerts = await findAll(models.alerts, {
      where: { eventId: rows.map(({ id }) => id), workspaceId: scope.workspaceId },
      order: ['id'],
    });
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
      alerts: alerts
        .filter(({ eventId }) => eventId === row.id)
        .map(({ recipient, phase, state, sentAt, error }) => ({
          recipient,
          phase,
          state,
          at: sentAt,
          error,
        })),
    }));
  };
  const readEvent = async (scope: Scope, id: number): Promise<Event> =>
    (await describeEvents(scope, [await eventOf(scope, String(id))]))[0]!;

  return {
    listRules: async (call) => {
      const { scope, query } = call;
      const device =
        query.device === undefined
          ? null
          : await oneIn(models.devices, scope.workspaceId, { id: String(query.device) });
      const where = {
        ...(query.kind !== undefined && { kindId: Number(query.kind) }),
        ...(query.device !== undefined && { deviceRowId: device?.rowId ?? 0 }),
        ...(query.severity !== undefined && { severity: query.severity as Severity }),
        ...(query.active !== undefined && { active: query.active as boolean }),
      };
      return describe(
        scope,
        await pageIn(models.rules, scope.workspaceId, call, { where, by: 'id', id: 'id' }),
      );
    },
    createRule: async ({ scope, body }) => {
      const row = await addTo(models.rules, scope.workspaceId, await toRow(scope, body as NewRule));
      bus.emit('rules', { workspaceId: scope.workspaceId, ruleId: row.id });
      tell(scope, 'rules', row.id);
      return one(scope, row);
    },
    readRule: async ({ scope, params }) => one(scope, await rowOf(scope, params.rule)),
    changeRule: async ({ scope, params, body }) => {
      const row = await rowOf(scope, params.rule);
      const next = await toRow(scope, body as NewRule);
      await changeIn(models.rules, scope.workspaceId, { id: row.id }, next);
      await renew(scope, row.id);
      return one(scope, { ...row, ...next });
    },
    deleteRule: async ({ scope, params }) => {
      const row = await rowOf(scope, params.rule);
      await deleteIn(models.rules, scope.workspaceId, { id: row.id });
      await renew(scope, row.id);
    },
    listEvents: async (call) => {
      const { scope, query } = call;
      const where = {
        ...(query.device !== undefined && { deviceId: String(query.device) }),
        ...(query.rule !== undefined && { ruleId: Number(query.rule) }),
        ...(query.severity !== undefined && { severity: query.severity as Severity }),
        ...(query.state !== undefined && { closedAt: query.state === 'open' ? null : { [Op.ne]: null } }),
        ...period('openedAt', query),
        deviceRowId: ofDevicesIn(scope.workspaceId),
      } as WhereOptions<EventRow>;
      return describeEvents(
        scope,
        await pageIn(models.events, scope.workspaceId, call, {
          where,
          by: 'openedAt',
          id: 'id',
          direction: 'DESC',
        }),
      );
    },
    acknowledgeEvent: async ({ scope, params }) => {
      const event = await eventOf(scope, params.event);
      if (event.acknowledgedAt === null)
        await changeIn(
          models.events,
          scope.workspaceId,
          { id: event.id, acknowledgedAt: null },
          { acknowledgedAt: clockNow(), acknowledgedBy: scope.userName },
        );
      tell(scope, 'events', event.id);
      return readEvent(scope, event.id);
    },
    closeEvent: async ({ scope, params }) => {
      const event = await eventOf(scope, params.event);
      if (event.closedAt !== null) throw conflict('This event is closed already.');
      await tellWorker({ kind: 'event-closed', event: event.id, at: clockNow() });
      tell(scope, 'events', event.id);
      return readEvent(scope, event.id);
    },
  };
}

/** What a body sets a condition to, as its sort keeps it. */
function settingsOf(body: NewRule): object {
  if (CONDITIONS[body.comparison].watches === 'facts') return { key: body.stream };
  const { comparison, limit, holdMs, closeLimit, closeHoldMs } = body;
  return {
    comparison: comparison as Condition['comparison'],
    limit,
    holdMs,
    closeLimit: closeLimit ?? null,
    closeHoldMs,
  } satisfies Condition;
}

/** The same as an answer tells it. */
function shownSettings(
  settings: Partial<Condition>,
): Pick<Rule, 'limit' | 'holdMs' | 'closeLimit' | 'closeHoldMs'> {
  const { limit = 0, holdMs = 0, closeLimit = null, closeHoldMs = 0 } = settings;
  return { limit, holdMs, closeLimit, closeHoldMs };
}

function byKey<R, K>(rows: readonly R[], keyOf: (row: R) => K): Map<K, R> {
  return new Map(rows.map((row) => [keyOf(row), row]));
}
