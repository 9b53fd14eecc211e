import {
  CONDITION_WORDS,
  foldName,
  isNumeric,
  readWords,
  ruleSentence,
  whomWatched,
  type ActiveHours,
  type ConditionName,
  type ConditionSettings,
  type Datastream,
  type Role,
  type SettingName,
  type SpokenCondition,
} from '@peatmoor/core';
import type { Device, Kind, Rule, RuleIn, Severity } from '@peatmoor/contract';
import type { useDisplay } from '../parts/useDisplay';

export type DisplayOf = ReturnType<typeof useDisplay>;

/** One condition as it is written in the form: numbers as text, in the units of whoever writes. */
export interface ConditionFields {
  comparison: ConditionName;
  /** ID of the device it looks at; empty for the one that is watched. */
  device: string;
  stream: string;
  limit: string;
  closeLimit: string;
  low: string;
  high: string;
  margin: string;
  amount: string;
  withinMs: number;
  statistic: NonNullable<ConditionSettings['statistic']>;
  side: 'above' | 'below';
  spreads: string;
  text: string;
  /** "53.41, -1.87, 500" for a circle, or the corners of a polygon, a line each. */
  area: string;
  expression: string;
}

export interface ActionFields {
  on: 'opened' | 'closed' | 'while';
  device: string;
  stream: string;
  value: string;
  /** Of an interlock: its place among those of the control. */
  rank?: number;
}

/** What the form of an event rule holds, as it is written. */
export interface RuleFields {
  title: string;
  /** `device:<id>`, `kind:<number>` or `label:<label>`. */
  whom: string;
  conditions: ConditionFields[];
  join: 'all' | 'any';
  holdMs: number;
  closeHoldMs: number;
  hours: ActiveHours | null;
  severity: Severity;
  message: string;
  people: number[];
  roles: Role[];
  emails: string;
  webhooks: number[];
  repeatMs: number;
  escalateMs: number;
  escalateTo: number;
  mostAlerts: string;
  actions: ActionFields[];
  own: Rule['own'];
  active: boolean;
}

/** What there is to choose from. */
export interface Catalogue {
  devices: readonly Device[];
  kinds: readonly Kind[];
  displayOf: DisplayOf;
}

export const EMPTY_CONDITION: ConditionFields = {
  comparison: 'above',
  device: '',
  stream: '',
  limit: '',
  closeLimit: '',
  low: '',
  high: '',
  margin: '',
  amount: '',
  withinMs: 600_000,
  statistic: 'mean',
  side: 'above',
  spreads: '5',
  text: '',
  area: '',
  expression: '',
};

/** Settings that are values of the datastream, and those that are distances between two. */
export const VALUES = ['limit', 'closeLimit', 'low', 'high'] as const;
export const DISTANCES = ['amount', 'margin'] as const;

/** Reads an area as it is written; undefined where it is none. */
export function readArea(text: string): ConditionSettings['area'] {
  const rows = text
    .split(/[\n;]+/)
    .map((row) =>
      row
        .split(/[\s,]+/)
        .filter(Boolean)
        .map(Number),
    )
    .filter((row) => row.length > 0);
  const [first] = rows;
  if (first === undefined || rows.flat().some((part) => !Number.isFinite(part))) return undefined;
  if (rows.length === 1 && first.length === 3)
    return { shape: 'circle', lat: first[0]!, lon: first[1]!, metres: first[2]! };
  return rows.length > 2 && rows.every((row) => row.length === 2)
    ? { shape: 'polygon', corners: rows.map(([lat, lon]) => ({ lat: lat!, lon: lon! })) }
    : undefined;
}

/** A condition as the service tells and takes it. */
export type Stored = Pick<Rule['also'][number], 'comparison' | 'stream' | 'deviceId'> & ConditionSettings;

/** The datastreams of those a rule watches, or of a device that a condition looks at. */
export function streamsOf(
  whom: string,
  device: string,
  { devices, kinds }: Catalogue,
): readonly Datastream[] {
  const [sort, target = ''] = whom.split(/:(.*)/);
  if (device === '' && sort === 'label') {
    const ids = new Set(devices.filter(({ labels }) => labels.includes(target)).map(({ kindId }) => kindId));
    const found = new Map(
      kinds
        .filter(({ id }) => ids.has(id))
        .flatMap(({ streams }) => streams.map((one) => [one.key, one] as const)),
    );
    return [...found.values()];
  }
  const id = device !== '' ? device : sort === 'device' ? target : null;
  const kindId = id === null ? Number(target) : devices.find((one) => one.id === id)?.kindId;
  return kinds.find((kind) => kind.id === kindId)?.streams ?? [];
}

/** The datastreams that a sort of condition can watch. */
export function streamsFor(comparison: ConditionName, streams: readonly Datastream[]): Datastream[] {
  const { watches, looks = 'stream', types } = CONDITION_WORDS[comparison];
  if (comparison === 'not-confirmed') return streams.filter(({ follow }) => follow !== null);
  if (watches === 'facts' || looks !== 'stream') return [];
  return streams.filter(
    (one) =>
      one.direction !== 'control' &&
      (types === undefined ? isNumeric(one) && one.type !== 'colour' : types.includes(one.type)),
  );
}

/** What those a rule watches are called in its sentence. */
export function whomOf(whom: string, { devices, kinds }: Catalogue): string {
  const [sort, target = ''] = whom.split(/:(.*)/);
  if (sort === 'label') return `any device labelled “${target}”`;
  if (sort === 'kind') return whomWatched(null, kinds.find(({ id }) => id === Number(target))?.title ?? '');
  return devices.find(({ id }) => id === target)?.name ?? '';
}

/** One condition as the service takes it; null while something is missing. */
function conditionBody(
  fields: ConditionFields,
  whom: string,
  catalogue: Catalogue,
): { body: Stored; stream: Datastream | undefined } | null {
  const { comparison } = fields;
  const sort = CONDITION_WORDS[comparison];
  const streams = streamsOf(whom, fields.device, catalogue);
  const fitting = streamsFor(comparison, streams);
  const stream = fitting.find(({ key }) => key === fields.stream) ?? fitting[0];
  const needsStream =
    comparison === 'not-confirmed' || (sort.watches === 'readings' && (sort.looks ?? 'stream') === 'stream');
  if (needsStream && stream === undefined) return null;
  const display = stream && catalogue.displayOf(stream);
  // Whether something is on has no limit to be written.
  const yesOrNo = stream?.type === 'boolean' && (comparison === 'above' || comparison === 'below');
  const isCount = comparison === 'refused' || (comparison === 'statistic' && fields.statistic === 'count');
  const number = (text: string): number | undefined => (text.trim() === '' ? undefined : Number(text));
  const value = (text: string): number | undefined => {
    const one = number(text);
    return one === undefined || isCount ? one : (display?.back(one) ?? one);
  };
  const distance = (text: string): number | undefined => {
    const one = number(text);
    return one === undefined || display === undefined ? one : display.back(one) - display.back(0);
  };
  const said: Record<SettingName, unknown> = {
    limit: yesOrNo ? 0.5 : value(fields.limit),
    closeLimit: yesOrNo ? null : (value(fields.closeLimit) ?? null),
    low: value(fields.low),
    high: value(fields.high),
    margin: distance(fields.margin),
    amount: distance(fields.amount),
    withinMs: fields.withinMs,
    statistic: fields.statistic,
    side: fields.side,
    spreads: number(fields.spreads),
    text: fields.text,
    area: readArea(fields.area),
    expression: fields.expression,
  };
  const settings = Object.fromEntries(
    sort.fields.flatMap((name) => (said[name] === undefined ? [] : [[name, said[name]]])),
  );
  const key = comparison === 'raised' ? foldName(fields.stream) : (stream?.key ?? '');
  const ready = readWords(comparison, { ...settings, comparison, key })!;
  if (ready.sort.check(ready.settings, stream, [...streams])?.reason === 'is missing') return null;
  if (comparison === 'raised' && key === '') return null;
  return {
    body: { comparison, stream: key, deviceId: fields.device === '' ? null : fields.device, ...settings },
    stream,
  };
}

export interface ReadyRule {
  body: RuleIn;
  sentence: string;
  /** The datastream of the first condition. */
  stream: Datastream | undefined;
}

/** The rule as the service takes it, and as one sentence; null while something is missing. */
export function readyRule(fields: RuleFields, catalogue: Catalogue): ReadyRule | null {
  const conditions = fields.conditions.map((one) => conditionBody(one, fields.whom, catalogue));
  if (conditions.some((one) => one === null)) return null;
  const ready = conditions as NonNullable<(typeof conditions)[number]>[];
  const whom = whomOf(fields.whom, catalogue);
  const spoken = ready.map(({ body, stream }): SpokenCondition => {
    const { comparison, stream: key, deviceId, ...settings } = body;
    return {
      condition: readWords(comparison, { ...settings, comparison, key })!,
      spoken: {
        stream,
        key,
        whom:
          deviceId === null ? whom : (catalogue.devices.find(({ id }) => id === deviceId)?.name ?? deviceId),
        ...(stream && { show: catalogue.displayOf(stream).reading }),
      },
    };
  });
  const { join, holdMs, closeHoldMs, hours } = fields;
  const [first, ...also] = ready;
  const { deviceId: _watched, ...firstBody } = first!.body;
  const [sort, target = ''] = fields.whom.split(/:(.*)/);
  return {
    sentence: ruleSentence(spoken, { join, holdMs, closeHoldMs, hours }),
    stream: first!.stream,
    body: {
      title: fields.title.trim() || titleOf(first!, catalogue),
      severity: fields.severity,
      deviceId: sort === 'device' ? target : null,
      kindId: sort === 'kind' ? Number(target) : null,
      label: sort === 'label' ? target : null,
      ...firstBody,
      also: also.map(({ body }) => body),
      join,
      holdMs,
      closeHoldMs,
      hours,
      message: fields.message,
      repeatMs: fields.repeatMs || null,
      escalateMs: fields.escalateMs && fields.escalateTo ? fields.escalateMs : null,
      escalateTo: fields.escalateMs && fields.escalateTo ? fields.escalateTo : null,
      mostAlerts: Number(fields.mostAlerts) || 12,
      people: fields.people,
      roles: fields.roles,
      emails: fields.emails.split(/[\s,;]+/).filter(Boolean),
      webhooks: fields.webhooks,
      actions: fields.actions
        .filter(({ stream, value }) => stream !== '' && value !== '')
        .map(({ device, ...one }) => ({ ...one, deviceId: device === '' ? null : device })),
      own: fields.own,
      active: fields.active,
    } as RuleIn,
  };
}

/** What a rule is called where nobody gives it a name. */
function titleOf(
  { body, stream }: { body: Stored; stream: Datastream | undefined },
  { displayOf }: Catalogue,
): string {
  if (body.comparison === 'raised') return body.stream;
  const condition = readWords(body.comparison, { ...body, key: body.stream })!;
  const spoken = {
    stream,
    key: body.stream,
    whom: '',
    show: (value: unknown) => (stream ? displayOf(stream).reading(value as number) : String(value)),
  };
  const clause = condition.sort
    .clause(condition.settings, spoken as never)
    .replace(/ of (?= |$)/, '')
    .replace(/ {2,}/g, ' ')
    .trim();
  return (clause.charAt(0).toUpperCase() + clause.slice(1)).slice(0, 80);
}
