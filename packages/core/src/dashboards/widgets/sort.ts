import { ICONS, readIcons } from '../../drawing/icons';
import { readZones } from '../zones';
import type { Datastream, Holds, ValueType } from '../../readings/types';

/** A value of a widget's option; null takes the datastream's, or the usual. */
export type OptionValue = number | string | boolean | null;

/** One thing about a widget that its maker may choose. Forms and checks are made from it. */
export type OptionFacts =
  | {
      kind: 'number';
      title: string;
      usual: number | null;
      min?: number;
      max?: number;
      /** Says something of datastreams on a scale only. */
      ofScalars?: true;
    }
  | { kind: 'choice'; title: string; usual: string; among: readonly string[] }
  | { kind: 'boolean'; title: string; usual: boolean }
  /** Small drawings for the choices of its datastream, see `readIcons`. */
  | { kind: 'icons'; title: string; usual: '' }
  | {
      kind: 'text';
      title: string;
      usual: string;
      most: number;
      hint?: string;
      lines?: number;
      /** Texts to begin with. */
      examples?: readonly { title: string; text: string }[];
    };

/** Everything about one sort of widget that is not drawing. A sort is a file here, and one more where it is drawn. */
export interface WidgetSort {
  type: string;
  title: string;
  purpose: string;
  takes: readonly ValueType[];
  /** True where it steers: it fits only what people may tell the device. */
  controls: boolean;
  /** Where it fits only what lasts, or only presses. */
  holds?: Holds;
  /** True where it tells what goes on in the workspace, which visitors are not shown. */
  inside?: true;
  /** What it is about, by which it has its title: the datastream where nothing is said. */
  about?: 'device';
  mostSources: number;
  /** Size when new, and the least it can be, in cells of the wide arrangement. */
  size: { w: number; h: number };
  least: { w: number; h: number };
  /** On a phone: over the full width, or beside others of its height. */
  phone: 'full' | 'tall' | 'low';
  options: Readonly<Record<string, OptionFacts>>;
  /** What is wrong with options that each fit by themselves; null where nothing is. */
  check?(options: Readonly<Record<string, OptionValue>>): WrongOption | null;
  /** How telling it is for a datastream that it fits: the greatest is offered first. */
  liking(stream: Pick<Datastream, 'type' | 'direction' | 'min' | 'max'>): number;
  /** Version of what is stored of its options, from 1. */
  version: number;
  /** Brings options stored by an earlier version to this one. */
  upgrade?(options: Record<string, unknown>, from: number): Record<string, unknown>;
}

export interface WrongOption {
  option: string;
  reason: string;
  remedy: string;
}

/** The scale of a widget that has one. */
export const SCALE = {
  min: { kind: 'number', title: 'Scale from', usual: null },
  max: { kind: 'number', title: 'to', usual: null },
} as const satisfies Record<string, OptionFacts>;

/** Whether it is asked once more before a value is sent stood here until 0.6; now it is its datastream's. */
export const withoutAsks = ({ asks: _asks, ...options }: Record<string, unknown>): Record<string, unknown> =>
  options;

/** By how much a number that is wanted goes up or down at a time. */
export const STEP = {
  step: { kind: 'number', title: 'Step', usual: null, min: 0.000001, max: 1e9, ofScalars: true },
} as const satisfies Record<string, OptionFacts>;

/** Named parts of a scale, as people write them. */
export const ZONES = {
  zones: { kind: 'text', title: 'Zones', usual: '', most: 400, hint: '..-300 dry: wrong, -300..-100 good' },
} as const satisfies Record<string, OptionFacts>;

/** Zones must be such as can be read. */
export function checkZones({ zones }: Readonly<Record<string, OptionValue>>): WrongOption | null {
  const read = typeof zones === 'string' ? readZones(zones) : [];
  return typeof read === 'string'
    ? {
        option: 'zones',
        reason: `has “${read}”, which is not a zone`,
        remedy: 'Write each as from..to name, with commas between: ..-300 dry: wrong, -300..-100 good.',
      }
    : null;
}

/** Drawings must be such as there are. */
export function checkIcons({ icons }: Readonly<Record<string, OptionValue>>): WrongOption | null {
  const read = typeof icons === 'string' ? readIcons(icons) : [];
  return typeof read === 'string'
    ? {
        option: 'icons',
        reason: `has “${read.slice(0, 40)}”, which is not a drawing`,
        remedy: `Write one for each choice, in their order, with commas between: of ${ICONS.slice(1).join(', ')}.`,
      }
    : null;
}

/** A scale needs its end above its start. */
export function checkScale({ min, max }: Readonly<Record<string, OptionValue>>): WrongOption | null {
  return typeof min === 'number' && typeof max === 'number' && min >= max
    ? { option: 'max', reason: `must be more than ${min}`, remedy: 'Make the scale end above its start.' }
    : null;
}

/** True for a number with both ends of its range known. */
export function isRanged({ type, min, max }: Pick<Datastream, 'type' | 'min' | 'max'>): boolean {
  return (type === 'number' || type === 'integer') && min !== null && max !== null;
}
