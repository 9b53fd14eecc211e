import '../locale';
import { AHEAD_MS, CALENDAR_STEPS, isZone, type CalendarBucket, type Statistics } from '@peatmoor/core';
import { array, boolean, mixed, number, object, string, type InferType } from 'yup';

const stream = string().max(80).required();
const from = number().required();
const to = number()
  .required()
  .test('order', 'must be later than from', function (value) {
    const { from: start } = this.parent as { from: number };
    return !(value <= start);
  });
export const zoneSchema = string()
  .max(60)
  .default('UTC')
  .test('zone', 'is not a time zone such as Europe/Dublin', (zone) => isZone(zone ?? ''));

export const calendarQuerySchema = object({
  stream,
  from,
  to,
  step: string().oneOf(CALENDAR_STEPS).default('day'),
  zone: zoneSchema,
}).noUnknown();
export type CalendarQuery = InferType<typeof calendarQuerySchema>;
export const calendarSchema = object({ buckets: array(mixed<CalendarBucket>().required()).required() });
/** Steps of the calendar, each with what was measured in it; gaps are there, with count 0. */
export type Calendar = InferType<typeof calendarSchema>;

export const statisticsQuerySchema = object({ stream, from, to }).noUnknown();
export type StatisticsQuery = InferType<typeof statisticsQuerySchema>;
export const statisticsSchema = mixed<Statistics>().required();

/** Bytes of CSV that one import call takes at the most; longer files are sent in parts. */
export const MOST_IMPORT_LETTERS = 900_000;
export const importSchema = object({
  /**
   * A header row of names, then a row a time. A column called at, time, timestamp or date says when; date and time may stand in
   * columns of their own. Any separator; headings may be titles with their units.
   */
  csv: string().max(MOST_IMPORT_LETTERS).required(),
  /** Number of the first row after the header, for error lists of later parts. */
  firstRow: number().integer().min(1).default(2),
  /** True only looks: nothing is stored. */
  try: boolean().default(false),
  /** Time zone of clocks that name none; that of the workspace otherwise. */
  zone: string()
    .max(60)
    .test('zone', 'is not a time zone such as Europe/Dublin', (zone) => zone === undefined || isZone(zone)),
  /** How the whole file is written, where this is a part of it; found out from what is here otherwise. */
  form: object({
    separator: string().length(1).required(),
    decimalComma: boolean().required(),
    dayFirst: boolean().nullable().defined(),
  })
    .noUnknown()
    .optional()
    .default(undefined),
}).noUnknown();
export type Import = InferType<typeof importSchema>;
export const importedSchema = object({
  rows: number().required(),
  accepted: number().required(),
  refused: number().required(),
  /** The first hundred refusals, each with its row. */
  errors: array(
    object({
      row: number().required(),
      name: string().defined(),
      reason: string().required(),
      hint: string().required(),
    }),
  ).required(),
  /** How it was read where that was not plain, in sentences: the zone, the order of day and month. */
  notes: array(string().required()).required(),
});
export type Imported = InferType<typeof importedSchema>;

export const correctionSchema = object({
  stream,
  from: number().nullable().default(null),
  to: number().nullable().default(null),
  /** True only counts. */
  try: boolean().default(false),
}).noUnknown();
export type CorrectionIn = InferType<typeof correctionSchema>;
export const correctedSchema = object({ count: number().required() });
export const correctionsSchema = array(
  object({
    id: number().required(),
    stream: string().required(),
    from: number().nullable().defined(),
    to: number().nullable().defined(),
    count: number().required(),
    by: string().required(),
    at: number().required(),
  }),
).required();
/** Readings that somebody deleted by hand: which, how many, who and when. */
export type Correction = InferType<typeof correctionsSchema>[number];

export const EXPORT_FORMATS = ['csv', 'json', 'senml', 'sheet', 'geojson', 'gpx', 'zip'] as const;
export type ExportFormat = (typeof EXPORT_FORMATS)[number];
export const exportQuerySchema = object({
  format: string().oneOf(EXPORT_FORMATS).default('csv'),
  /** Datastream keys with commas between; left out: all that are reported, but for images; of places: all locations. */
  streams: string().max(2000).default(''),
  from: number().default(0),
  /** A clock may be a little ahead, and what it measured is there. */
  to: number().default(() => Date.now() + AHEAD_MS + 1),
  /** `raw`: as measured, for bringing back (the default but for a sheet); `right`: made right by calibrations. */
  values: string().oneOf(['raw', 'right'] as const),
  /**
   * Values that one answer holds at the most, as one report may; the next part stands in its `Link`. For csv, json and senml; left
   * out: all of them in one.
   */
  most: number().integer().min(1).max(10_000),
  /** Days back from now, instead of from and to. */
  days: number().positive().max(36_500),
  zone: zoneSchema,
  /** An access key, for programs that can only fetch an address. */
  access_token: string().max(80),
}).noUnknown();
export type ExportQuery = InferType<typeof exportQuerySchema>;
