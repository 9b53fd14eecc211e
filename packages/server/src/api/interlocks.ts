import type { InterlocksOf, Override } from '@peatmoor/contract';
import { isControllable, shownWish } from '@peatmoor/core';
import { queueAlerts } from '../alerts/telling';
import { now as clockNow } from '../clock';
import { heldBy, openInterlocks, overrideOf, type OpenInterlock } from '../commands/interlocks';
import { runOf } from '../commands/runs';
import { conflict, ProblemError } from '../problems';
import type { DeviceEntry, DeviceStream } from '../registry';
import { isWatched, moreOf } from '../rules/definition';
import { maySteer } from '../sharing/reach';
import { listIn, oneIn } from '../store/rows';
import { inRawTransaction } from '../store/store';
import { deviceOf, type ApiParts, type Handlers } from './context';
import { streamOf } from './data';
import type { Scope } from './scope';

type InterlockHandlers = Pick<Handlers, 'listInterlocks' | 'overrideInterlocks' | 'endOverride'>;

const MINUTE_MS = 60_000;

/** What holds the controls of a device while events are open, and who may do without it for a while. */
export function interlockHandlers(parts: ApiParts): InterlockHandlers {
  const { store, bus } = parts;
  const controlOf = (scope: Scope, entry: DeviceEntry, name: string): DeviceStream => {
    const stream = streamOf(entry, name);
    if (!isControllable(stream)) throw conflict(`"${stream.key}" is not a control: nothing holds it.`);
    if (!maySteer(scope, entry.rowId, stream.streamId))
      throw new ProblemError(
        'not-allowed',
        `You may look at "${stream.title}", and not steer it. Ask an owner of the workspace.`,
      );
    return stream;
  };
  const read = async (scope: Scope, entry: DeviceEntry): Promise<InterlocksOf[]> => {
    const rules = await listIn(store.models.rules, scope.workspaceId, {
      where: { holds: true },
      order: ['id'],
    });
    if (rules.length === 0 && entry.streams.every(({ runAtMost }) => runAtMost === null)) return [];
    const open = await store.withConnection((connection) => openInterlocks(connection, scope.workspaceId));
    const held = heldBy(open);
    const result: InterlocksOf[] = [];
    for (const control of entry.streams.filter(isControllable)) {
      const place = `${entry.rowId}/${control.key}`;
      const interlocks = rules
        .flatMap((rule) =>
          moreOf(rule)
            .actions.filter(
              ({ on, device, stream }) =>
                on === 'while' &&
                stream === control.key &&
                (device === null ? isWatched(rule, entry) : device === entry.rowId),
            )
            .map(({ rank = 1, value }) => {
              const events = open.filter((one) => one.rule === rule.id && one.control === place);
              const event: OpenInterlock | undefined = events.sort((a, b) => a.since - b.since)[0];
              return {
                rule: rule.id,
                title: rule.title,
                rank,
                value,
                text: shownWish(control, value),
                active: rule.active,
                event: event?.event ?? null,
                since: event?.since ?? null,
                holds: held.get(place)?.rule === rule.id && event !== undefined,
              };
            }),
        )
        .sort((a, b) => a.rank - b.rank || a.rule - b.rule);
      if (interlocks.length === 0 && control.runAtMost === null) continue;
      const { streamId } = control;
      const now = clockNow();
      const { override, runs } = await store.withConnection(async (connection) => ({
        override: await overrideOf(connection, { deviceRowId: entry.rowId, streamId, now }),
        runs: await runOf(connection, { deviceRowId: entry.rowId, streamId }),
      }));
      const ahead = (until: number | null): number | null =>
        control.runAtMost !== null && until !== null && until > now ? until : null;
      result.push({
        stream: control.key,
        title: control.title,
        interlocks,
        override,
        runUntil: ahead(runs.runUntil),
        restUntil: ahead(runs.restUntil),
      });
    }
    return result;
  };
  const readOne = async (scope: Scope, entry: DeviceEntry, key: string): Promise<InterlocksOf> =>
    (await read(scope, entry)).find(({ stream }) => stream === key) ?? {
      stream: key,
      title: key,
      interlocks: [],
      override: null,
      runUntil: null,
      restUntil: null,
    };
  const changed = (scope: Scope, entry: DeviceEntry): void => {
    parts.wakeAlerts();
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'events', by: scope.userName },
    });
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'devices', id: entry.id, by: scope.userName },
    });
  };

  return {
    listInterlocks: async ({ scope, params }) => read(scope, await deviceOf(parts, scope, params.device)),
    overrideInterlocks: async ({ scope, params, body }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const { stream: name, minutes } = body as Override;
      const control = controlOf(scope, entry, name);
      const now = clockNow();
      const until = now + minutes * MINUTE_MS;
      const by = await store.withConnection(async (connection) =>
        heldBy(await openInterlocks(connection, scope.workspaceId)).get(`${entry.rowId}/${control.key}`),
      );
      if (by === undefined)
        throw conflict(`Nothing holds ${control.title} just now: there is nothing to override.`);
      const rule = await oneIn(store.models.rules, scope.workspaceId, { id: by.rule });
      const event = await oneIn(store.models.events, scope.workspaceId, { id: by.event });
      await inRawTransaction(store, async (connection) => {
        await connection.query(
          'REPLACE INTO overrides (deviceRowId, streamId, workspaceId, until, madeAt, madeBy) VALUES (?, ?, ?, ?, ?, ?)',
          [entry.rowId, control.streamId, scope.workspaceId, until, now, scope.userName.slice(0, 80)],
        );
        if (rule === null || event === null) return;
        await queueAlerts(connection, rule, event, 'override', {
          subject: `overridden: ${by.title} (${control.title} of ${entry.name})`,
          text: `${scope.userName} has overridden it for ${minutes} min: ${control.title} of ${entry.name}, which it holds at ${shownWish(control, by.value)} while its event is open, may be steered until then.\n\n${event.sentence}`,
        });
      });
      changed(scope, entry);
      return readOne(scope, entry, control.key);
    },
    endOverride: async ({ scope, params }) => {
      const entry = await deviceOf(parts, scope, params.device);
      const control = controlOf(scope, entry, params.stream ?? '');
      await store.withConnection((connection) =>
        connection.query('DELETE FROM overrides WHERE deviceRowId = ? AND streamId = ? AND workspaceId = ?', [
          entry.rowId,
          control.streamId,
          scope.workspaceId,
        ]),
      );
      changed(scope, entry);
      return readOne(scope, entry, control.key);
    },
  };
}
