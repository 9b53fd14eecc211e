import '../locale';
import {
  ICONS,
  COMPUTATION_FORMS,
  DIRECTIONS,
  FOLLOW_WAYS,
  isTaken,
  checkKeep,
  KEY_PATTERN,
  LONGEST_KEPT_S,
  SHORTEST_ALONE_S,
  lineBetween,
  RANGE_POLICIES,
  LONGEST_FORMULA,
  HOLDS,
  PLAIN_STREAM,
  RESERVED_NAMES,
  RESTARTS,
  takeWanted,
  readUnit,
  VALUE_TYPES,
  WINDOW_TAKES,
  type Computation,
  type ComputationForm,
  type Datastream,
  type Follow,
  type RunAtMost,
  type WithoutLink,
} from '@peatmoor/core';
import {
  array,
  boolean,
  number,
  object,
  string,
  type InferType,
  type MixedSchema,
  type TestContext,
  type ValidationError,
} from 'yup';
import { BOARDS } from '../known';

const finite = number().nullable().default(null);

/** The parts of a computation that each form has, with what they are where nothing is said. */
const FORM_PARTS: Record<ComputationForm, Record<string, unknown>> = {
  formula: { formula: '', gapS: 86_400 },
  integral: { of: '', perS: 3600, gapS: 3600, restarts: 'never', zone: 'UTC' },
  change: { of: '' },
  rate: { of: '', perS: 3600 },
  counter: { of: '', restarts: 'never', zone: 'UTC' },
  sum: { of: '', restarts: 'day', zone: 'UTC' },
  moving: { of: '', take: 'mean', overS: 3600 },
};

/** How a datastream is computed. Whether it fits the kind is checked with the kind. */
const computationSchema = object({
  form: string().oneOf(COMPUTATION_FORMS).required(),
  formula: string()
    .trim()
    .max(LONGEST_FORMULA)
    .when('form', { is: 'formula', then: (schema) => schema.required() }),
  of: string()
    .trim()
    .max(80)
    .when('form', { is: (form: string) => form !== 'formula', then: (schema) => schema.required() }),
  perS: number().min(0.001).max(31_536_000),
  gapS: number()
    .integer()
    .min(1)
    .max(31 * 86_400),
  restarts: string().oneOf(RESTARTS),
  zone: string().max(60),
  take: string().oneOf(WINDOW_TAKES),
  overS: number()
    .integer()
    .min(1)
    .max(7 * 86_400),
})
  .noUnknown()
  .transform((value: Record<string, unknown> | null) => {
    const parts = FORM_PARTS[value?.form as ComputationForm];
    if (value === null || parts === undefined) return value;
    const made: Record<string, unknown> = { form: value.form };
    for (const [name, standard] of Object.entries(parts)) made[name] = value[name] ?? standard;
    return made;
  })
  .nullable()
  .default(null) as unknown as MixedSchema<Computation | null>;

/** What must follow a control. */
const followSchema = object({
  stream: string().trim().max(80).required(),
  way: string().oneOf(FOLLOW_WAYS).required(),
  withinS: number().integer().min(1).max(86_400).default(30),
  tolerance: number().min(0).default(0),
  steps: array(object({ wanted: string().trim().max(80).default(''), min: finite, max: finite }).noUnknown())
    .max(100)
    .default([]),
})
  .noUnknown()
  .nullable()
  .default(null) as unknown as MixedSchema<Follow | null>;

/** One of the two by itself; the parent has the other, which is looked at with the first. */
function keepTest(this: TestContext, field: 'runAtMost' | 'withoutLink'): true | ValidationError {
  const control = { ...PLAIN_STREAM, ...(this.parent as Partial<Datastream>) } as Datastream;
  if (control[field] === null) return true;
  const wrong = checkKeep(control, { runAtMost: null, withoutLink: null, [field]: control[field] });
  const both = wrong ?? (field === 'withoutLink' ? checkKeep(control, control) : null);
  if (both === null || !both.field.startsWith(field)) return true;
  const path = `${this.path}${both.field.slice(field.length)}`;
  return this.createError({ path, message: `${both.reason}. ${both.remedy.replace(/\.$/, '')}` });
}

const keptValue = () => string().trim().max(60).required();
const runSchema = object({
  value: keptValue(),
  mostS: number().integer().min(1).max(LONGEST_KEPT_S).required(),
  then: keptValue(),
  restS: number().integer().min(0).max(LONGEST_KEPT_S).default(0),
})
  .noUnknown()
  .nullable()
  .default(null)
  .test('fits', function () {
    return keepTest.call(this, 'runAtMost');
  }) as unknown as MixedSchema<RunAtMost | null>;
const aloneSchema = object({
  afterS: number().integer().min(SHORTEST_ALONE_S).max(LONGEST_KEPT_S).required(),
  value: keptValue(),
})
  .noUnknown()
  .nullable()
  .default(null)
  .test('fits', function () {
    return keepTest.call(this, 'withoutLink');
  }) as unknown as MixedSchema<WithoutLink | null>;

const unitText = () =>
  string()
    .transform((text: unknown) => (typeof text === 'string' ? (readUnit(text) ?? text) : text))
    .nullable()
    .default(null);

/** A unit beside the one that is shown: of the same quantity, and for numbers a device reports. */
const otherUnit = () =>
  unitText().test('same', 'must measure the same as the unit', function (code) {
    if (code === null || code === undefined) return true;
    const { unit, type, direction, computation } = this.parent as Partial<Datastream>;
    if (type !== 'number' || (direction ?? 'report') !== 'report' || computation)
      return this.createError({ message: 'is only for numbers that a device reports' });
    return code === unit || (unit != null && lineBetween(code, unit) !== null);
  });

export const streamSchema = object({
  key: string()
    .matches(KEY_PATTERN, {
      message: 'must be a small letter, then up to 39 small letters, digits or underscores',
    })
    .test(
      'reserved',
      'is reserved on the wire: at, for, name, wait, n and access_token steer a message',
      (key) => !RESERVED_NAMES.has(key ?? ''),
    )
    .required(),
  title: string().trim().min(1).max(80).required(),
  type: string().oneOf(VALUE_TYPES).required(),
  /** A code of the SenML registry, or a text of one's own; what people write for a code (°C) becomes the code (Cel). */
  unit: unitText().test(
    'unit',
    'must be a unit of the SenML registry, or one of your own of up to 16 letters such as rpm',
    (code) => code === null || code === undefined || readUnit(code) === code,
  ),
  /** What a plain number means when it arrives, where that is not the unit that is shown. */
  sentUnit: otherUnit(),
  /** The unit in which readings are kept, and calibrations made; the service's own, once a unit was converted. */
  keptUnit: otherUnit(),
  min: finite,
  max: finite.test('order', 'must be greater than min', function (max) {
    const { min } = this.parent as { min: number | null };
    return max === null || max === undefined || min === null || min === undefined || max > min;
  }),
  rangePolicy: string().oneOf(RANGE_POLICIES).default('refuse'),
  decimals: number().integer().min(0).max(6).nullable().default(null),
  direction: string()
    .oneOf(DIRECTIONS)
    .default('report')
    .test('wanted', 'must be report for a location or an image: nobody can want one', function (direction) {
      const { type } = this.parent as { type?: string };
      return direction === 'report' || (type !== 'location' && type !== 'image');
    }),
  pin: number().integer().min(0).max(999).nullable().default(null),
  aliases: array(string().trim().min(1).max(80).required()).max(20).default([]),
  description: string().trim().max(500).default(''),
  /** The texts of a choice, in the order of their numbers. */
  choices: array(string().trim().min(1).max(60).required())
    .max(100)
    .default([])
    .test('choices', 'needs at least one text for a choice, each once', function (choices) {
      const { type } = this.parent as { type?: string };
      const folded = (choices ?? []).map((one) => one.toLowerCase());
      return new Set(folded).size === folded.length && (type !== 'choice' || folded.length > 0);
    }),
  colour: string()
    .matches(/^#[0-9a-f]{6}$/, { message: 'must be a colour such as #2b5f6e' })
    .nullable()
    .default(null),
  part: string().max(40).nullable().default(null),
  boardPin: string().trim().max(40).default(''),
  /** What a control is wanted to be before anybody wants anything else. */
  defaultValue: string()
    .max(200)
    .nullable()
    .default(null)
    .test('default', 'is not a value that this datastream takes', function (value) {
      if (value === null || value === undefined) return true;
      const parent = this.parent as Partial<Datastream>;
      if (parent.direction === 'report')
        return this.createError({ message: 'is only for what people control' });
      const taken = takeWanted({ ...PLAIN_STREAM, ...parent } as Datastream, value);
      return (
        isTaken(taken) || this.createError({ message: `is not taken: ${taken.hint.replace(/\.$/, '')}` })
      );
    }),
  /** How long a wanted value holds: until another, or once and within its time limit. */
  holds: string()
    .oneOf(HOLDS)
    .default('lasting')
    .test('default', 'must be lasting where there is a value from the start', function (holds) {
      const { defaultValue } = this.parent as Partial<Datastream>;
      return holds !== 'momentary' || defaultValue === null || defaultValue === undefined;
    }),
  /** Seconds within which a wanted value must be applied. */
  timeLimitS: number().integer().min(1).max(86_400).nullable().default(null),
  /** What must be measured for a wanted value to be confirmed. Whether it fits the kind is checked with the kind. */
  follow: followSchema,
  /** Whether people are asked before it is sent from a page; what its part says where nothing is said. */
  asks: boolean().nullable().default(null),
  /** How long it may stay at a value, and how long it rests then. */
  runAtMost: runSchema,
  /** What the board does by itself once it has heard nothing for so long. */
  withoutLink: aloneSchema,
  /** Days its readings are kept: null for ever, 0 for only the newest. */
  keepDays: number().integer().min(0).max(36_500).nullable().default(null),
  computation: computationSchema,
  /** Read only: made from a name that arrived. Whatever a person writes confirms it. */
  unconfirmed: boolean().default(false),
}).noUnknown();
type Whole = InferType<typeof streamSchema>;
export type NewStream = Omit<Whole, 'sentUnit' | 'keptUnit'> & Partial<Pick<Whole, 'sentUnit' | 'keptUnit'>>;

/** What becomes of all that is in the unit before: shown in the new one, or only called so. */
export const PAST_UNITS = ['convert', 'rename'] as const;
export type PastUnit = (typeof PAST_UNITS)[number];

/** A datastream as it shall be; `past` says what becomes of readings, limits and scales where its unit is another. */
export const streamChangeSchema = streamSchema.shape({
  past: string().oneOf(PAST_UNITS),
  // Not the caller's to say: what is kept stays in its unit.
  keptUnit: unitText(),
});

const keptStreamSchema = streamSchema.shape({ id: number().required() });
/** A datastream as the service knows it. */
export type Stream = Datastream & { id: number; unconfirmed: boolean };

const intervalS = number()
  .integer()
  .min(1)
  .max(7 * 86_400);
const notes = string().max(4000);
const board = string().oneOf(BOARDS);
const icon = string().oneOf(ICONS);

export const newKindSchema = object({
  title: string().trim().min(1).max(80).required(),
  intervalS: intervalS.default(60),
  /** While on, an unknown name in a report makes a datastream of the type seen. */
  acceptNew: boolean().default(false),
  notes: notes.default(''),
  board: board.default(''),
  icon: icon.default(''),
  streams: array(streamSchema).max(200).default([]),
}).noUnknown();
export type NewKind = InferType<typeof newKindSchema>;

export const kindChangeSchema = object({
  title: string().trim().min(1).max(80),
  intervalS,
  acceptNew: boolean(),
  notes,
  board,
  icon,
}).noUnknown();
export type KindChange = InferType<typeof kindChangeSchema>;

export const copyKindSchema = object({ title: string().trim().min(1).max(80).required() }).noUnknown();

export const moveDevicesSchema = object({
  devices: array(string().max(40).required()).min(1).max(1000).required(),
  /** True only tells what it would do. */
  try: boolean().default(false),
}).noUnknown();
export type MoveDevices = InferType<typeof moveDevicesSchema>;
export const movedDevicesSchema = object({
  moved: number().required(),
  /** Datastreams whose history goes along: same key and type in both kinds. */
  keeps: array(string().required()).required(),
  /** Readings that would be deleted, because the other kind has no such datastream. */
  loses: array(
    object({ device: string().required(), stream: string().required(), readings: number().required() }),
  ).required(),
});
export type MovedDevices = InferType<typeof movedDevicesSchema>;

export const effectSchema = object({ devices: number().required(), readings: number().required() });
/** How many devices and readings a change of a datastream would reach. */
export type Effect = InferType<typeof effectSchema>;

export const kindSchema = object({
  id: number().required(),
  title: string().required(),
  intervalS: number().required(),
  acceptNew: boolean().required(),
  notes: string().defined(),
  board: string().defined(),
  icon: string().defined(),
  /** Counted up by every change, to the kind or its datastreams; the ETag says the same. */
  version: number().required(),
  streams: array(keptStreamSchema).required(),
  devices: number().required(),
});
export interface Kind {
  id: number;
  title: string;
  /** How often a message is expected, in seconds. */
  intervalS: number;
  acceptNew: boolean;
  notes: string;
  board: string;
  icon: string;
  version: number;
  streams: Stream[];
  /** How many devices are of this kind. */
  devices: number;
}
export const kindsSchema = array(kindSchema).required();
export { keptStreamSchema };
