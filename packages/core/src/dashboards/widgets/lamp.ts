import type { Value } from '../../readings/types';
import type { OptionValue, WidgetSort } from './sort';

const LETTERS = 40;

export const lamp = {
  type: 'lamp',
  title: 'Lamp',
  purpose: 'on or off',
  takes: ['boolean', 'number', 'integer'],
  controls: false,
  mostSources: 1,
  size: { w: 2, h: 2 },
  least: { w: 2, h: 2 },
  phone: 'low',
  options: {
    above: { kind: 'number', title: 'A number is on above', usual: null, ofScalars: true },
    below: { kind: 'number', title: 'or below', usual: null, ofScalars: true },
    on: { kind: 'text', title: 'While on it says', usual: 'on', most: LETTERS },
    off: { kind: 'text', title: 'While off', usual: 'off', most: LETTERS },
    silent: { kind: 'text', title: 'Without a new reading', usual: '', most: LETTERS, hint: 'what it was' },
    alarm: { kind: 'boolean', title: 'On is trouble', usual: false },
    offAlarm: { kind: 'boolean', title: 'Off is trouble', usual: false },
    silentAlarm: { kind: 'boolean', title: 'No new reading is trouble', usual: false },
  },
  check: ({ above, below }) =>
    typeof above === 'number' && typeof below === 'number' && below > above
      ? {
          option: 'below',
          reason: `is more than ${above}, so that it would always be on`,
          remedy: `Write at most ${above}, or leave one of the two empty.`,
        }
      : null,
  liking: (stream) => (stream.type === 'boolean' ? 7 : 0),
  version: 1,
} as const satisfies WidgetSort;

export interface LampLook {
  /** `unknown` where nothing is known, or nothing new and its maker has a word for that. */
  state: 'on' | 'off' | 'unknown';
  words: string;
  trouble: boolean;
  /** True where what it shows is not from now. */
  old: boolean;
}

/**
 * How a lamp looks by its rules: a number is on above the one limit (0 where none is given) or below the other, a boolean while it
 * is on. `isSilent`: there has been no reading for longer than usual.
 */
export function lampLook(
  options: Readonly<Record<string, OptionValue>>,
  value: Value | undefined,
  isSilent: boolean,
): LampLook {
  const words = (name: 'on' | 'off' | 'silent'): string => String(options[name] ?? lamp.options[name].usual);
  const old = isSilent || value === undefined;
  if (value === undefined || (isSilent && words('silent') !== ''))
    return { state: 'unknown', words: words('silent') || '–', trouble: options.silentAlarm === true, old };
  const { above = null, below = null } = options;
  const over = typeof above === 'number' ? above : below === null ? 0 : Infinity;
  const isOn = typeof value === 'number' && (value > over || (typeof below === 'number' && value < below));
  return {
    state: isOn ? 'on' : 'off',
    words: words(isOn ? 'on' : 'off'),
    trouble: options[isOn ? 'alarm' : 'offAlarm'] === true || (isSilent && options.silentAlarm === true),
    old,
  };
}
