import { demandNoClash } from '../rules/clashes';
import type { NewRule, Rule, Severity, Trial } from '@peatmoor/contract';
import { now as clockNow } from '../clock';
import { lookAtMuted } from '../alerts/muted';
import { conflict, notFound, wrongField } from '../problems';
import { definitionOf, isWatched, othersOf, whom } from '../rules/definition';
import { sentenceOf } from '../rules/events';
import { tellRules } from '../rules/tell';
import { tryRule } from '../rules/trying';
import type { MuteRow, RuleRow } from '../store/models';
import { afterCommit } from '../store/ambient';
import { addTo, changeIn, deleteIn, listIn, oneIn } from '../store/rows';
import { askAddresses } from './addresses';
import { numberOf, type ApiParts, type Handlers } from './context';
import { toStream } from './kinds';
import { pageIn } from './pages';
import { shownRule, toRuleRow } from './ruleBody';
import type { Scope } from './scope';

type RuleHandlers = Pick<
  Handlers,
  | 'listRules'
  | 'createRule'
  | 'tryRule'
  | 'readRule'
  | 'changeRule'
  | 'deleteRule'
  | 'listMutes'
  | 'mute'
  | 'unmute'
>;

/** Devices that one trial runs over at the most. */
const MOST_TRIED = 50;
/** Longest time that a rule is tried over. */
const LONGEST_TRIAL_MS = 400 * 86_400_000;
/** A mute lasts so long at the most. */
const LONGEST_MUTE_MS = 366 * 86_400_000;

export function ruleHandlers(parts: ApiParts): RuleHandlers {
  const { store, bus, registry, history } = parts;
  const { models } = store;
  /** The trial of each person that is worked out: while a limit is dragged only the newest counts. */
  const trials = new Map<number, symbol>();
  const tell = (scope: Scope, id: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'rules', id, by: scope.userName },
    });
  const rowOf = async (scope: Scope, text: string | undefined): Promise<RuleRow> => {
    const row = await oneIn(models.rules, scope.workspaceId, { id: numberOf(text, 'rule') });
    if (row === null) throw notFound('rule', text ?? '');
    return row;
  };
  const describe = async (scope: Scope, rows: RuleRow[]): Promise<Rule[]> => {
    // Only what these rules speak of, each found by its key.
    const named = rows.flatMap((row) => [
      ...(row.deviceRowId === null ? [] : [row.deviceRowId]),
      ...othersOf(definitionOf(row)),
      ...(row.more.actions ?? []).flatMap(({ device }) => device ?? []),
      ...(row.more.own ?? []).map(({ device }) => device),
    ]);
    const devices = byKey(
      await listIn(models.devices, scope.workspaceId, { where: { rowId: [...new Set(named)] } }),
      ({ rowId }) => rowId,
    );
    const kindOf = (row: RuleRow): number => devices.get(row.deviceRowId ?? 0)?.kindId ?? row.kindId ?? 0;
    const labelled = rows.some(({ label }) => label !== null);
    const kindIds = [...new Set([...rows.map(kindOf), ...[...devices.values()].map(({ kindId }) => kindId)])];
    const kinds = byKey(
      await listIn(models.kinds, scope.workspaceId, { where: { id: kindIds } }),
      ({ id }) => id,
    );
    const keys = [
      ...new Set(rows.flatMap((row) => definitionOf(row).conditions.map(({ stream }) => stream))),
    ];
    const streams = (
      await listIn(models.streams, scope.workspaceId, {
        where: { ...(!labelled && { kindId: kindIds }), key: keys },
        order: ['id'],
      })
    ).map((row) => ({ kindId: row.kindId, stream: toStream(row) }));
    const streamsOf = (kindId: number | null) =>
      streams.flatMap((one) => (kindId === null || one.kindId === kindId ? one.stream : []));
    const open = new Map<number, number>();
    for (const { ruleId } of await listIn(models.events, scope.workspaceId, {
      where: { closedAt: null, ruleId: rows.map(({ id }) => id) },
      attributes: ['ruleId'],
    }))
      open.set(ruleId, (open.get(ruleId) ?? 0) + 1);
    return rows.map((row) => {
      const device = devices.get(row.deviceRowId ?? 0);
      const kind = kinds.get(kindOf(row));
      return {
        ...shownRule(row, (rowId) => devices.get(rowId)?.id),
        id: row.id,
        deviceId: device?.id ?? null,
        version: row.revision,
        sentence: sentenceOf(
          row,
          whom(row, { name: device?.name ?? '', kindTitle: kind?.title ?? '' }),
          streamsOf(row.label === null ? kindOf(row) : null),
          (rowId) => {
            const other = devices.get(rowId);
            return other && { name: other.name, streams: streamsOf(other.kindId) as never };
          },
        ),
        openEvents: open.get(row.id) ?? 0,
      };
    });
  };
  const one = async (scope: Scope, row: RuleRow): Promise<Rule> => (await describe(scope, [row]))[0]!;
  /** Open events of a rule that is no longer what it was are closed, now; a new one begins to watch. */
  const renew = async (scope: Scope, ruleId: number): Promise<void> => {
    bus.emit('rules', { workspaceId: scope.workspaceId, ruleId });
    await afterCommit(() =>
      tellRules(parts, scope.workspaceId, [{ kind: 'rule-changed', rule: ruleId, at: clockNow() }]),
    );
    tell(scope, ruleId);
  };
  const toMute = ({ id, sort, target, until, madeBy, reason }: MuteRow) => ({
    id,
    sort,
    target,
    until,
    madeBy,
    reason,
  });
  const changedMutes = async (scope: Scope): Promise<void> => {
    await store.withConnection((connection) => lookAtMuted(connection, { workspaceId: scope.workspaceId }));
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'rules', by: scope.userName },
    });
  };

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
      const values = await toRuleRow(store, scope.workspaceId, body as NewRule);
      const row = await store.transaction(async (transaction) => {
        const made = await addTo(models.rules, scope.workspaceId, values, transaction);
        if (values.holds) await demandNoClash(store, scope.workspaceId, transaction);
        return made;
      });
      await renew(scope, row.id);
      await afterCommit(() => askAddresses(parts, scope, (body as NewRule).emails));
      return one(scope, { ...row, ...values });
    },
    tryRule: async ({ scope, body }) => {
      const { rule, device, from, to } = body as Trial;
      if (to <= from) throw wrongField('to', 'is not after from', 'Give a later time.');
      if (to - from > LONGEST_TRIAL_MS)
        throw wrongField('from', 'lies more than 400 days before to', 'Try a shorter time.');
      const values = await toRuleRow(store, scope.workspaceId, rule as never);
      const row: RuleRow = { ...values, id: 0, workspaceId: scope.workspaceId, revision: 0 };
      const past = definitionOf(row).conditions.find(
        ({ sort }) => sort === 'raised' || sort === 'not-confirmed' || PAST_UNKNOWN.has(sort),
      );
      if (past !== undefined)
        throw wrongField(
          'rule.comparison',
          'cannot be tried',
          'Nothing is kept of when this was so in the past.',
        );
      const rows = await listIn(models.devices, scope.workspaceId, {
        where: {
          ...(device !== undefined && { id: device }),
          ...(row.deviceRowId !== null && { rowId: row.deviceRowId }),
          ...(row.kindId !== null && { kindId: row.kindId }),
        },
      });
      const watchedRows = rows.filter((one) => isWatched(row, one)).slice(0, MOST_TRIED);
      const named = othersOf(definitionOf(row));
      const entries = await registry.load([...watchedRows.map(({ rowId }) => rowId), ...named]);
      const turn = Symbol(scope.userName);
      trials.set(scope.userId, turn);
      return tryRule(
        { store, history },
        row,
        watchedRows.flatMap(({ rowId }) => entries.get(rowId) ?? []),
        {
          zone: scope.workspace.zone,
          others: (rowId) => {
            const entry = entries.get(rowId);
            return entry?.workspaceId === scope.workspaceId ? entry : undefined;
          },
          from,
          to: Math.min(to, clockNow()),
          goOn() {
            if (trials.get(scope.userId) !== turn)
              throw conflict('A newer trial took its place: only the newest is worked out.');
          },
        },
      ).finally(() => trials.get(scope.userId) === turn && trials.delete(scope.userId));
    },
    readRule: async ({ scope, params }) => one(scope, await rowOf(scope, params.rule)),
    changeRule: async ({ scope, params, body }) => {
      const row = await rowOf(scope, params.rule);
      const next = await toRuleRow(store, scope.workspaceId, body as NewRule);
      await store.transaction(async (transaction) => {
        await changeIn(models.rules, scope.workspaceId, { id: row.id }, next, transaction);
        if (next.holds) await demandNoClash(store, scope.workspaceId, transaction);
      });
      await renew(scope, row.id);
      await afterCommit(() => askAddresses(parts, scope, (body as NewRule).emails));
      return one(scope, { ...row, ...next });
    },
    deleteRule: async ({ scope, params }) => {
      const row = await rowOf(scope, params.rule);
      await store.transaction(async (transaction) => {
        await deleteIn(models.rules, scope.workspaceId, { id: row.id }, transaction);
        const target = String(row.id);
        await deleteIn(models.mutes, scope.workspaceId, { sort: 'rule', target }, transaction);
        await store.sequelize.query('DELETE FROM alertStops WHERE ruleId = ?', {
          replacements: [row.id],
          transaction,
        });
      });
      await renew(scope, row.id);
    },
    listMutes: async ({ scope }) => {
      const rows = await listIn(models.mutes, scope.workspaceId, { order: ['until'] });
      return rows.filter(({ until }) => until > clockNow()).map(toMute);
    },
    mute: async ({ scope, body }) => {
      const { sort, target, until, reason } = body as {
        sort: MuteRow['sort'];
        target: string;
        until: number;
        reason: string;
      };
      const now = clockNow();
      if (until <= now) throw wrongField('until', 'is over already', 'Give a time ahead.');
      if (until > now + LONGEST_MUTE_MS)
        throw wrongField('until', 'is more than a year ahead', 'Switch the rule off instead.');
      const there =
        sort === 'device'
          ? await oneIn(models.devices, scope.workspaceId, { id: target })
          : sort === 'kind'
            ? await oneIn(models.kinds, scope.workspaceId, { id: Number(target) || 0 })
            : sort === 'rule'
              ? await oneIn(models.rules, scope.workspaceId, { id: Number(target) || 0 })
              : (await listIn(models.devices, scope.workspaceId, { attributes: ['labels'] })).find(
                  ({ labels }) => labels.includes(target),
                );
      if (there === null || there === undefined)
        throw wrongField(
          'target',
          `"${target}" is not a ${sort} of this workspace`,
          'Choose one that is there.',
        );
      // One mute for each thing, whoever mutes it at the same time.
      await store.withConnection((connection) =>
        connection.query(
          `INSERT INTO mutes (workspaceId, sort, target, until, madeBy, reason, madeAt) VALUES (?, ?, ?, ?, ?, ?, ?)
            ON DUPLICATE KEY UPDATE until = VALUES(until), madeAt = VALUES(madeAt), madeBy = VALUES(madeBy), reason = VALUES(reason)`,
          [scope.workspaceId, sort, target, until, scope.userName, reason, now],
        ),
      );
      const row = (await oneIn(models.mutes, scope.workspaceId, { sort, target }))!;
      await changedMutes(scope);
      return toMute(row);
    },
    unmute: async ({ scope, params }) => {
      const count = await deleteIn(models.mutes, scope.workspaceId, { id: numberOf(params.mute, 'mute') });
      if (count === 0) throw notFound('mute', params.mute ?? '');
      await changedMutes(scope);
    },
  };
}

const PAST_UNKNOWN = new Set(['offline', 'online', 'first-seen', 'refused']);

function byKey<R, K>(rows: readonly R[], keyOf: (row: R) => K): Map<K, R> {
  return new Map(rows.map((row) => [keyOf(row), row]));
}
