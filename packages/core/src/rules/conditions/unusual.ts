import { UNKNOWN, type Sense, type UsualHours } from '../senses/sense';
import type { ConditionSettings } from '../settings';
import { missing, streamOf, type ConditionSort } from './sort';

type Unusual = Required<Pick<ConditionSettings, 'spreads'>>;
interface Memory {
  value: number | null;
  at: number;
  hours: UsualHours | null;
}

const EMPTY: Memory = { value: null, at: 0, hours: null };
/** So much of the distance must be gone before it is back. */
const BACK = 0.8;

const sense: Sense<Unusual, Memory> = {
  begin: EMPTY,
  take: (_settings, memory, { at, value }) => ({ ...memory, value: Number(value), at }),
  look({ spreads }, { value, at, hours }, _now, hour) {
    const usual = value === null ? null : (hours?.[hour(at)] ?? null);
    if (value === null || usual === null) return { ...UNKNOWN, value };
    const [median, spread] = usual;
    const far = Math.abs(value - median);
    return { across: far > spreads * spread, back: far <= BACK * spreads * spread, value };
  },
  usual: (_settings, memory, hours) => ({ ...memory, hours }),
};

/** A value far from what is usual at this hour of the day. */
export const unusual: ConditionSort<Unusual> = {
  sort: 'unusual',
  title: 'is unlike usual by',
  watches: 'readings',
  types: ['number', 'integer'],
  fields: ['spreads'],
  version: 1,
  check: (settings) =>
    missing(settings, ['spreads']) ??
    (settings.spreads <= 0 || settings.spreads > 100
      ? { field: 'spreads', reason: 'is not between 0 and 100', remedy: 'Four to six suits most.' }
      : null),
  clause: ({ spreads }, spoken) =>
    `${streamOf(spoken)} is further than ${spreads} times the usual spread from what is usual at that hour`,
  closes: () => 'it is usual again',
  sense: () => sense as Sense<Unusual, never>,
};
