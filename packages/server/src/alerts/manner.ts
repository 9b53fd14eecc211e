import {
  datesIn,
  displayOf,
  FIGURES_ONLY,
  type Datastream,
  type UnitSystem,
  type Value,
} from '@peatmoor/core';
import { NO_CHOICES, type PersonalChoices } from '@peatmoor/contract';
import { DateTime } from 'luxon';

/** How values and times are written in an alert to somebody: in their units, language and zone. */
export interface Manner {
  /** The same for all that are told in the same manner. */
  name: string;
  /** A reading of a datastream with its unit. */
  reading(stream: Pick<Datastream, 'type' | 'unit' | 'decimals'>, value: Value): string;
  /** A moment, with the name of its zone: "28 Nov 14:05:33 UTC". */
  when(at: number): string;
  /** A time of day with seconds. */
  clock(at: number): string;
  /** A time of day, with its day where that is another than the one of `now`. */
  since(at: number, now: number): string;
}

/** What of a person says how they read; null for whoever is no person here: a webhook, a bare address. */
export type Reader = { units: UnitSystem; choices: Partial<PersonalChoices> | string } | null;

/** The manner of a person; what they chose no zone for goes by that of the workspace. */
export function mannerOf(reader: Reader, workspaceZone: string): Manner {
  const given = reader?.choices ?? {};
  const chosen = {
    ...NO_CHOICES,
    ...(typeof given === 'string' ? (JSON.parse(given || '{}') as Partial<PersonalChoices>) : given),
  };
  const units = reader?.units ?? 'metric';
  const zone = chosen.zone || workspaceZone;
  const dates = datesIn(chosen.language, zone);
  const isNumber = ({ type }: Pick<Datastream, 'type'>): boolean => type === 'number' || type === 'integer';
  const day = chosen.language === FIGURES_ONLY ? dates.date : dates.day;
  return {
    name: `${units} ${chosen.language} ${zone}`,
    reading: (stream, value) => {
      const text = displayOf(stream, units).reading(value);
      return isNumber(stream) ? dates.figure(text) : text;
    },
    when: (at) =>
      `${day(at)} ${dates.seconds(at)} ${DateTime.fromMillis(at, { zone, locale: 'en' }).toFormat('ZZZZ')}`,
    clock: dates.seconds,
    since: (at, now) => (day(at) === day(now) ? dates.clock(at) : `${day(at)} ${dates.clock(at)}`),
  };
}
