import { holding, isRefusal, shownWish, takeWanted, type Datastream, type Interlock } from '@peatmoor/core';
import { group } from 'd3-array';
import type { Connection } from 'mariadb';
import { moreOf } from '../rules/definition';
import type { RuleRow } from '../store/models';
import { BarredError } from './barred';

/** A rule holds the control at another value as long as its event is open. */
export class HeldError extends BarredError {
  constructor(
    readonly by: Interlock,
    control: Datastream,
  ) {
    super(
      `“${by.title}” holds ${control.title} at ${shownWish(control, by.value)} while its event is open.`,
      'Wait until it is over, or override it: whoever may steer can, for 10 minutes, and those whom the rule alerts are told.',
    );
  }
}

/** An interlock whose event is open, with the control that it holds: `<device row>/<datastream>`. */
export interface OpenInterlock extends Interlock {
  control: string;
  workspaceId: number;
}

/** Interlocks whose events are open, of one workspace or (null) of all. */
export async function openInterlocks(
  connection: Connection,
  workspaceId: number | null,
): Promise<OpenInterlock[]> {
  const rows = (await connection.query(
    `SELECT r.id AS rule, r.title, r.more, r.workspaceId, e.id AS event, e.openedAt, e.deviceRowId FROM rules r
      STRAIGHT_JOIN events e ON e.ruleId = r.id AND e.workspaceId = r.workspaceId AND e.closedAt IS NULL
      WHERE r.holds = 1 AND r.active = 1 ${workspaceId === null ? '' : 'AND r.workspaceId = ?'}`,
    workspaceId === null ? [] : [workspaceId],
  )) as {
    rule: number;
    title: string;
    more: string;
    workspaceId: number;
    event: number;
    openedAt: number;
    deviceRowId: number;
  }[];
  return rows.flatMap(({ more, openedAt, deviceRowId, ...one }) =>
    moreOf({ more: JSON.parse(more) as RuleRow['more'] }).actions.flatMap(
      ({ on, device, stream, value, rank = 1 }): OpenInterlock[] =>
        on !== 'while'
          ? []
          : [
              {
                rule: Number(one.rule),
                title: one.title,
                workspaceId: Number(one.workspaceId),
                event: Number(one.event),
                since: Number(openedAt),
                rank,
                value,
                control: `${device ?? deviceRowId}/${stream}`,
              },
            ],
    ),
  );
}

/** What holds each control of which an event is open. */
export const heldBy = (open: readonly OpenInterlock[]): Map<string, OpenInterlock> =>
  new Map(
    [...group(open, ({ control }) => control)].map(([control, all]) => [
      control,
      holding(all) as OpenInterlock,
    ]),
  );

/** Until when somebody has overridden the interlocks of a control, epoch ms, and who; null for nobody. */
export async function overrideOf(
  connection: Connection,
  { deviceRowId, streamId, now }: { deviceRowId: number; streamId: number; now: number },
): Promise<{ until: number; by: string } | null> {
  const [row] = (await connection.query(
    'SELECT until, madeBy FROM overrides WHERE deviceRowId = ? AND streamId = ? AND until > ?',
    [deviceRowId, streamId, now],
  )) as { until: number; madeBy: string }[];
  return row === undefined ? null : { until: Number(row.until), by: row.madeBy };
}

/** Refuses what an interlock holds at another value, in the transaction that would write it. Throws HeldError. */
export async function demandUnheld(
  connection: Connection,
  {
    workspaceId,
    deviceRowId,
    control,
    wanted,
    now,
  }: {
    workspaceId: number;
    deviceRowId: number;
    control: Datastream & { streamId: number };
    wanted: number | string;
    now: number;
  },
): Promise<void> {
  const by = heldBy(await openInterlocks(connection, workspaceId)).get(`${deviceRowId}/${control.key}`);
  if (by === undefined) return;
  const taken = takeWanted(control, by.value);
  if (isRefusal(taken) || taken.value === wanted) return;
  if ((await overrideOf(connection, { deviceRowId, streamId: control.streamId, now })) !== null) return;
  throw new HeldError(by, control);
}
