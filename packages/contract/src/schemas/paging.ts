import '../locale';
import { COMMAND_STATES, ROLES } from '@peatmoor/core';
import { boolean, number, object, string, type InferType, type ObjectShape } from 'yup';
import { MOST_LISTED } from '../known';

const paging = {
  /** How many items at the most. */
  limit: number().integer().min(1).max(MOST_LISTED).default(100),
  /** Where the page before ended, as its Link header (rel="next", RFC 8288) says it. */
  after: string().min(1).max(600),
};

/** The query of a list: a page of it, and by what it is filtered. */
const listQuery = <S extends ObjectShape>(filters: S) => object({ ...paging, ...filters }).noUnknown();

const number1 = () => number().integer().min(1);
const name = () => string().min(1).max(80);

export const pageQuerySchema = listQuery({});
export const kindsQuerySchema = listQuery({
  /** A part of the title, in any case. */
  text: name(),
});
export const devicesQuerySchema = listQuery({
  kind: number1(),
  label: name(),
  /** Only what is behind this gateway. */
  gateway: name(),
  /** A part of name or ID, in any case. */
  text: name(),
});
export const dashboardsQuerySchema = listQuery({ kind: number1() });
export const timetablesQuerySchema = listQuery({ device: name() });
export const notesQuerySchema = listQuery({
  /** At or after, epoch ms. */
  from: number(),
  /** Before, epoch ms. */
  to: number(),
});
export const rulesQuerySchema = listQuery({
  kind: number1(),
  device: name(),
  severity: string().oneOf(['notice', 'warning', 'urgent']),
  active: boolean(),
});
export const eventsQuerySchema = listQuery({
  device: name(),
  rule: number1(),
  severity: string().oneOf(['notice', 'warning', 'urgent']),
  state: string().oneOf(['open', 'unacknowledged', 'closed']),
  label: name(),
  /** A part of the title, the device or the remark, in any case. */
  text: name(),
  /** Opened at or after, epoch ms. */
  from: number(),
  /** Opened before, epoch ms. */
  to: number(),
  /** Still open then, or opened later, epoch ms: with `to`, whatever was open at some time of a period. */
  since: number(),
});
export const arrivalsQuerySchema = listQuery({
  /** `refused`: only messages of which something was refused. */
  outcome: string().oneOf(['accepted', 'refused']),
  from: number(),
  to: number(),
});
export const tokensQuerySchema = listQuery({ state: string().oneOf(['in-use', 'withdrawn']) });
export const ofStreamQuerySchema = listQuery({ stream: name() });
export const commandsQuerySchema = listQuery({
  stream: name(),
  state: string().oneOf(COMMAND_STATES),
});
export const recomputationsQuerySchema = listQuery({
  device: name(),
  state: string().oneOf(['waiting', 'running', 'done', 'failed']),
});
export const peopleQuerySchema = listQuery({
  role: string().oneOf(ROLES),
});

export const changesQuerySchema = listQuery({
  /** What was changed: device, kind, rule … */
  what: name(),
  /** The number of a person. */
  by: number1(),
  /** A part of the name or title, in any case. */
  text: name(),
  /** Times in epoch ms, from ≤ time < to. */
  from: number(),
  to: number(),
});

export type PageQuery = InferType<typeof pageQuerySchema>;
export type KindsQuery = InferType<typeof kindsQuerySchema>;
export type DevicesQuery = InferType<typeof devicesQuerySchema>;
export type DashboardsQuery = InferType<typeof dashboardsQuerySchema>;
export type TimetablesQuery = InferType<typeof timetablesQuerySchema>;
export type NotesQuery = InferType<typeof notesQuerySchema>;
export type RulesQuery = InferType<typeof rulesQuerySchema>;
export type EventsQuery = InferType<typeof eventsQuerySchema>;
export type ArrivalsQuery = InferType<typeof arrivalsQuerySchema>;
export type TokensQuery = InferType<typeof tokensQuerySchema>;
export type OfStreamQuery = InferType<typeof ofStreamQuerySchema>;
export type CommandsQuery = InferType<typeof commandsQuerySchema>;
export type RecomputationsQuery = InferType<typeof recomputationsQuerySchema>;
export type ChangesQuery = InferType<typeof changesQuerySchema>;
export type PeopleQuery = InferType<typeof peopleQuerySchema>;
