import type { Location } from '../readings/types';

/** What can be worked out of the readings of a window. `spread` is their standard deviation. */
export const WINDOW_STATISTICS = ['mean', 'lowest', 'highest', 'sum', 'count', 'spread'] as const;
export type WindowStatistic = (typeof WINDOW_STATISTICS)[number];

/** A part of the earth: a circle (metres around a place) or a polygon of at most 50 corners. */
export type Area =
  | { shape: 'circle'; lat: number; lon: number; metres: number }
  | { shape: 'polygon'; corners: Pick<Location, 'lat' | 'lon'>[] };

/** What a condition may be set to. Each sort says which of these it has. */
export interface ConditionSettings {
  /** The value that is crossed, in the unit of the datastream. */
  limit?: number;
  /** The value at which it closes again; null closes at the limit itself. */
  closeLimit?: number | null;
  low?: number;
  high?: number;
  /** How far back from low and high it must be to close. */
  margin?: number;
  /** How far it rises or falls. */
  amount?: number;
  /** The length of a window, or how long something must be so, in ms. */
  withinMs?: number;
  statistic?: WindowStatistic;
  side?: 'above' | 'below';
  /** How many times the usual spread. */
  spreads?: number;
  text?: string;
  area?: Area;
  expression?: string;
}
export type SettingName = keyof ConditionSettings;
/** Their names, in the order in which they are told. */
export const SETTING_NAMES = [
  'limit',
  'closeLimit',
  'low',
  'high',
  'margin',
  'amount',
  'withinMs',
  'statistic',
  'side',
  'spreads',
  'text',
  'area',
  'expression',
] as const satisfies readonly SettingName[];

/** Longest window and time, in ms. */
export const LONGEST_WITHIN_MS = 30 * 86_400_000;
export const MOST_CORNERS = 50;
