import type { Link } from '@peatmoor/contract';
import { dates } from '../parts/time';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

/** How far back a visitor may look, and how long a link holds, as they are offered. */
export const BACKS: readonly [words: string, ms: number | null][] = [
  ['a day', DAY],
  ['a week', 7 * DAY],
  ['30 days', 30 * DAY],
  ['a year', 365 * DAY],
  ['all there is', null],
];
export const ENDS: readonly [words: string, ms: number | null][] = [
  ['in a day', DAY],
  ['in a week', 7 * DAY],
  ['in 30 days', 30 * DAY],
  ['in a year', 365 * DAY],
  ['when it is withdrawn', null],
];
export const STARTS: readonly [words: string, ms: number][] = [
  ['the last hour', HOUR],
  ['the last day', DAY],
  ['the last week', 7 * DAY],
  ['the last 30 days', 30 * DAY],
];

/** A snippet that shows a link in a frame of another page. */
export function frameSnippet({ address, title }: Pick<Link, 'address' | 'title'>, look: string): string {
  const escaped = title.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
  return `<iframe src="${address}?frame=1${look === '' ? '' : `&look=${look}`}" title="${escaped}" width="100%" height="420" style="border:0" loading="lazy"></iframe>`;
}

/** The address of a picture of a widget, for pages and mails that take only images. */
export function pictureAddress(
  { address, sort }: Pick<Link, 'address' | 'sort'>,
  widget: string,
  form: 'png' | 'svg',
): string {
  return `${address}/picture.${form}${sort === 'widget' ? '' : `?widget=${encodeURIComponent(widget)}`}`;
}

/** When a link was opened last and how often, in words. */
export function openedWords({ opened, openedAt }: Pick<Link, 'opened' | 'openedAt'>): string {
  if (openedAt === null) return 'never opened';
  return `opened ${opened} ${opened === 1 ? 'time' : 'times'}, last ${dates().dateTime(openedAt)}`;
}
