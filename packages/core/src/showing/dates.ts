import { TZDate } from '@date-fns/tz';
import { FIGURES_ONLY, LANGUAGES, type Language } from './languages';

/** How dates, times and numbers are written for one person. All times are epoch ms. */
export interface Dates {
  language: Language;
  /** The IANA zone by which times are told. */
  zone: string;
  /** A time whose year, month, day and hour are those of the zone. */
  dateOf(at: number): Date;
  /** The time at which clocks of the zone stand so; where they jump over it, as long after the jump. Months from 0. */
  timeOf(year: number, month: number, day: number, hour?: number, minute?: number, second?: number): number;
  /** "28 Nov" */
  day(at: number): string;
  /** "28 Nov 2026" */
  date(at: number): string;
  /** "28 Nov 2026, 14:05" */
  dateTime(at: number): string;
  /** "28 Nov 2026, 14:05:33" */
  exact(at: number): string;
  /** "14:05" */
  clock(at: number): string;
  /** "14:05:33" */
  seconds(at: number): string;
  /** "Nov" */
  month(at: number): string;
  /** "Nov 2026" */
  monthOfYear(at: number): string;
  /** "Sat 28" */
  weekday(at: number): string;
  /** "Saturday 28 November" */
  wholeDay(at: number): string;
  /**
   * The text of a number, with or without its unit, as people write it: long ones in groups of three digits with a
   * thin space between them (ISO 80000-1 §7.3.2), and with the decimal sign of the language.
   */
  figure(text: string): string;
  /** A number with all its digits, up to twelve of them. */
  number(value: number): string;
}

const THIN = '\u202f';
const two = (part: number): string => String(part).padStart(2, '0');

/** The zone of whoever's machine this runs on; browsers take a while to find it out. */
let here: string | undefined;
export function zoneHere(): string {
  here ??= Intl.DateTimeFormat().resolvedOptions().timeZone;
  return here;
}

/** Dates and numbers in a language and a time zone; without a zone in that of this machine. */
export function datesIn(language: Language = LANGUAGES[0], zone = ''): Dates {
  const isIso = language === FIGURES_ONLY;
  // Figures and years are everywhere the same ones that axes and fields have.
  const locale = `${isIso ? 'en-GB' : language}-u-nu-latn-ca-gregory`;
  const formats = new Map<string, Intl.DateTimeFormat>();
  const written = (at: number, options: Intl.DateTimeFormatOptions): string => {
    const key = Object.entries(options).join();
    let format = formats.get(key);
    if (format === undefined) {
      format = new Intl.DateTimeFormat(locale, { ...options, ...(zone !== '' && { timeZone: zone }) });
      formats.set(key, format);
    }
    return format.format(at);
  };
  const dateOf = (at: number): Date => (zone === '' ? new Date(at) : new TZDate(at, zone));
  let hours: boolean | undefined;
  const isHalfDay = (): boolean =>
    (hours ??=
      !isIso && new Intl.DateTimeFormat(locale, { hour: 'numeric' }).resolvedOptions().hour12 === true);
  const clock = (at: number, seconds = false): string => {
    if (isHalfDay())
      return written(at, { hour: 'numeric', minute: '2-digit', ...(seconds && { second: '2-digit' }) });
    const date = dateOf(at);
    const minutes = `${two(date.getHours())}:${two(date.getMinutes())}`;
    return seconds ? `${minutes}:${two(date.getSeconds())}` : minutes;
  };
  const isoDate = (at: number): string => {
    const date = dateOf(at);
    return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}`;
  };
  const date = (at: number): string => (isIso ? isoDate(at) : written(at, { dateStyle: 'medium' }));
  const between = isIso ? ' ' : ', ';
  let sign: string | undefined;
  const decimalSign = (): string =>
    (sign ??=
      new Intl.NumberFormat(locale).formatToParts(1.5).find(({ type }) => type === 'decimal')?.value ?? '.');
  const figure = (text: string): string =>
    text.replace(
      /^([+−-]?)(\d+)(?:\.(\d+))?(?=$| )/,
      (_all, before: string, whole: string, part?: string) => {
        const long = whole.length < 5 ? whole : whole.replace(/\B(?=(\d{3})+$)/g, THIN);
        return `${before}${long}${part === undefined ? '' : `${decimalSign()}${part}`}`;
      },
    );
  return {
    language,
    get zone() {
      return zone || zoneHere();
    },
    dateOf,
    timeOf: (year, month, day, hour = 0, minute = 0, second = 0) =>
      (zone === ''
        ? new Date(year, month, day, hour, minute, second)
        : new TZDate(year, month, day, hour, minute, second, zone)
      ).getTime(),
    day: (at) => (isIso ? isoDate(at).slice(5) : written(at, { day: 'numeric', month: 'short' })),
    date,
    dateTime: (at) => `${date(at)}${between}${clock(at)}`,
    exact: (at) => `${date(at)}${between}${clock(at, true)}`,
    clock: (at) => clock(at),
    seconds: (at) => clock(at, true),
    month: (at) => (isIso ? isoDate(at).slice(0, 7) : written(at, { month: 'short' })),
    monthOfYear: (at) => (isIso ? isoDate(at).slice(0, 7) : written(at, { month: 'short', year: 'numeric' })),
    weekday: (at) => `${written(at, { weekday: 'short' })} ${dateOf(at).getDate()}`,
    wholeDay: (at) => written(at, { weekday: 'long', day: 'numeric', month: 'long' }),
    figure,
    number: (value) => figure(String(Number(value.toPrecision(12)))),
  };
}
