import { fitRange, graduations } from '../dashboards/range';
import { numberOption, optionOf, type GaugeShape, type Widget } from '../dashboards';
import { readZones, type Zone } from '../dashboards/zones';

/** What a gauge widget is drawn from: readings as they are kept, and how they are shown. */
export interface GaugeReadings {
  /** How far the datastream goes, where that is said. */
  stream: { min: number | null; max: number | null };
  value: number | undefined;
  wanted: number | undefined;
  /** Least and greatest of the last 24 hours; null where nothing was measured. */
  day: { min: number; max: number } | null;
  /** From the unit that is kept to the one that is shown. */
  convert: (value: number) => number;
  /** The readings are made up, as while a widget is set up. */
  sample: boolean;
}

/** What a gauge shows, in shown units. */
export interface GaugeFacts {
  value: number | undefined;
  wanted: number | undefined;
  target: number | null;
  min: number;
  max: number;
  /** Nobody has said how far the scale goes: it fits what was seen. */
  guessed: boolean;
  /** Least and greatest of the last 24 hours. */
  day: { min: number; max: number } | null;
  zones: readonly Zone[];
  marks: readonly number[];
  /** What there is room for, in px; 0 before it is known. */
  width: number;
  height: number;
  sample: boolean;
}

/** Colours of zones, by how much they matter. */
export const ZONE_INKS = { good: 'moss', look: 'gorse', wrong: 'rowan' } as const;
/** How far marks are apart on each shape, about, in px. */
export const MARK_PX = { staff: 34, arc: 70, tank: 34 } as const;

/** Where a value lies between the ends of the scale, 0 to 1. */
export function placeOn({ min, max }: Pick<GaugeFacts, 'min' | 'max'>, value: number): number {
  return (Math.min(max, Math.max(min, value)) - min) / (max - min || 1);
}

/** True where the value lies in a zone: that one is shown, the others are faint. */
export function isIn(value: number | undefined, min: number | null, max: number | null): boolean {
  return value !== undefined && (min === null || value >= min) && (max === null || value < max);
}

/** The size of letters in a drawing of this size that is made to fit, so that they are never too small to be read. */
export function letterSize(
  { width, height }: Pick<GaugeFacts, 'width' | 'height'>,
  box: { width: number; height: number },
  usual: number,
): number {
  const scale = Math.min(width / box.width, height / box.height);
  return scale > 0 ? Math.min(usual * 2, Math.max(usual, LEAST_PX / scale)) : usual;
}
const LEAST_PX = 11.5;

/** What a gauge widget shows, in shown units, in a room of this size in px. */
export function gaugeFacts(
  widget: Pick<Widget, 'type' | 'options'>,
  { stream, value, wanted, day, convert, sample }: GaugeReadings,
  { width, height }: Pick<GaugeFacts, 'width' | 'height'>,
): GaugeFacts {
  const shown = (one: number | undefined): number | undefined =>
    one === undefined ? undefined : convert(one);
  // Where nobody says how far it goes, as far as it went.
  const seen = fitRange(
    Math.min(value ?? Infinity, day?.min ?? value ?? 0),
    Math.max(value ?? -Infinity, day?.max ?? value ?? 100),
  );
  const min = convert(numberOption(widget, 'min') ?? stream.min ?? seen.min);
  const max = convert(numberOption(widget, 'max') ?? stream.max ?? seen.max);
  const target = numberOption(widget, 'target');
  const about = marksFor(optionOf(widget, 'shape') as GaugeShape, width, height);
  return {
    value: shown(value),
    wanted: shown(wanted),
    target: target === null ? null : convert(target),
    min,
    max,
    guessed:
      !sample &&
      ((numberOption(widget, 'min') ?? stream.min) === null ||
        (numberOption(widget, 'max') ?? stream.max) === null),
    day:
      day === null || optionOf(widget, 'day') === false
        ? null
        : { min: convert(day.min), max: convert(day.max) },
    zones: shownZones(optionOf(widget, 'zones'), convert),
    marks: marksOf(min, max, numberOption(widget, 'step'), about),
    width,
    height,
    sample,
  };
}

/** Marks each `step`, or where none is said, about `about` round ones. */
export function marksOf(min: number, max: number, step: number | null, about: number): number[] {
  if (step === null || step <= 0 || (max - min) / step > 200) return graduations(min, max, about);
  const first = Math.ceil(min / step - 1e-9);
  const last = Math.floor(max / step + 1e-9);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, i) =>
    Number(((first + i) * step).toPrecision(12)),
  );
}

/** About how many marks a shape has room for. */
function marksFor(shape: keyof typeof MARK_PX, width: number, height: number): number {
  return Math.max(2, Math.min(8, Math.round((shape === 'arc' ? width : height) / MARK_PX[shape])));
}

/** Zones in the units that are shown. */
export function shownZones(text: unknown, convert: (value: number) => number): Zone[] {
  const zones = typeof text === 'string' ? readZones(text) : [];
  return typeof zones === 'string'
    ? []
    : zones.map((zone) => ({
        ...zone,
        min: zone.min === null ? null : convert(zone.min),
        max: zone.max === null ? null : convert(zone.max),
      }));
}
