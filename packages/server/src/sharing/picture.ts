import { createHash } from 'node:crypto';
import PQueue from 'p-queue';
import {
  DARK_INKS,
  displayOf,
  isNumeric,
  isQuiet,
  lampLook,
  LIGHT_INKS,
  pictureShapes,
  showReading,
  showUnit,
  toSvg,
  type Pictured,
  type Widget,
} from '@peatmoor/core';
import { DateTime } from 'luxon';
import { renderDrawing } from '../drawing';
import { now as clockNow } from '../clock';
import type { HistoryReader } from '../history/read';
import { shownReading } from '../history/newest';
import type { Recent } from '../history/recent';
import { notFound, ProblemError, unavailable } from '../problems';
import type { DeviceEntry, DeviceStream, Registry } from '../registry';
import { narrowed } from './reach';
import type { Visit } from './visitors';

/** What a picture is asked for with. */
export interface PictureWish {
  form: 'svg' | 'png';
  width: number;
  height: number;
  look: 'light' | 'dark' | 'transparent';
}
export interface Picture {
  type: string;
  body: Buffer;
  etag: string;
}

const DAY_MS = 86_400_000;
const POINTS = 300;
/** Pictures that are kept for whoever asks next, and that are drawn at the same time: others wait, and not too many. */
const MOST_KEPT = 200;
const AT_ONCE = 1;
const MOST_WAITING = 40;

const kept = new Map<string, Buffer>();
const queue = new PQueue({ concurrency: AT_ONCE });

/** Draws one widget of what a link shows, as a page of another site or a mail takes it. */
export async function pictureOf(
  { registry, recent, history }: { registry: Registry; recent: Recent; history: HistoryReader },
  visit: Visit & { zone: string },
  widget: Widget,
  { form, width, height, look }: PictureWish,
): Promise<Picture> {
  const sight = { role: 'none', reach: visit.reach } as const;
  const entries = [...(await registry.load([...visit.reach.devices.keys()])).values()].map((entry) =>
    narrowed(sight, entry),
  );
  const sources = widget.sources.flatMap(({ device, stream: key }) => {
    const entry = entries.find(({ id }) => device === null || id === device);
    const stream = entry?.names.find(key);
    return entry === undefined || stream === undefined ? [] : [{ entry, stream }];
  });
  const [first] = sources;
  if (first === undefined) throw notFound('widget with something to show', widget.id);
  const pictured = await picturedBy({ recent, history }, visit, widget, sources);
  if (pictured === null)
    throw new ProblemError(
      'not-found',
      `There are pictures of gauges, values and charts; this is a ${widget.type}.`,
    );
  const title = widget.title || first.stream.title;
  const svg = toSvg(
    pictureShapes(pictured, { title, note: noteOf(first, recent, visit.zone), width, height }),
    {
      width,
      height,
      inks: look === 'dark' ? DARK_INKS : LIGHT_INKS,
      ground: look !== 'transparent',
      title,
    },
  );
  const etag = `"${createHash('sha256').update(`${form} ${svg}`).digest('base64url').slice(0, 22)}"`;
  if (form === 'svg') return { type: 'image/svg+xml', body: Buffer.from(svg), etag };
  const known = kept.get(etag);
  if (known !== undefined) return { type: 'image/png', body: known, etag };
  if (queue.size > MOST_WAITING) throw unavailable();
  const body = (await queue.add(() => renderDrawing(svg, 2)))!;
  if (kept.size >= MOST_KEPT) kept.delete(kept.keys().next().value!);
  kept.set(etag, body);
  return { type: 'image/png', body, etag };
}

interface Shown {
  entry: DeviceEntry;
  stream: DeviceStream;
}

/** Since when nothing came, where that is longer than usual; else when the newest reading is of. */
function noteOf({ entry, stream }: Shown, recent: Recent, zone: string): string {
  const newest = recent.newest(stream.seriesId);
  if (newest === undefined) return 'no reading yet';
  const at = DateTime.fromMillis(newest.at, { zone }).toFormat('d LLL HH:mm');
  return isQuiet(newest.at, entry.intervalS, clockNow()) ? `no reading since ${at}` : at;
}

async function picturedBy(
  { recent, history }: { recent: Recent; history: HistoryReader },
  { periodMs, zone }: Visit & { zone: string },
  widget: Widget,
  sources: readonly Shown[],
): Promise<Pictured | null> {
  const { entry, stream } = sources[0]!;
  const display = displayOf(stream, 'metric');
  const raw = recent.newest(stream.seriesId);
  const newest = raw === undefined ? undefined : shownReading(stream, raw.at, raw.value).value;
  const figure = newest === undefined || typeof newest === 'object' ? '–' : display.value(newest);
  const now = clockNow();
  switch (widget.type) {
    case 'lamp': {
      const look = lampLook(
        widget.options,
        newest,
        raw !== undefined && isQuiet(raw.at, entry.intervalS, clockNow()),
      );
      return { is: 'value', figure: look.words, unit: '' };
    }
    case 'value':
    case 'state':
      return stream.type === 'image' ? null : { is: 'value', figure, unit: display.unit };
    case 'gauge': {
      const value = typeof newest === 'number' ? newest : undefined;
      const [line] = await history.lines([stream], now - DAY_MS, now, 97);
      const day =
        line === undefined || line.min.length === 0
          ? null
          : { min: Math.min(...line.min), max: Math.max(...line.max) };
      return {
        is: 'gauge',
        widget,
        readings: { stream, value, wanted: undefined, day, convert: (one) => one, sample: false },
        figure,
        unit: display.unit,
      };
    }
    case 'chart': {
      const numeric = sources.filter((one) => isNumeric(one.stream)).slice(0, 4);
      const lines = await history.lines(
        numeric.map((one) => one.stream),
        now - periodMs,
        now,
        POINTS,
      );
      const several = new Set(numeric.map((one) => one.entry.id)).size > 1;
      return {
        is: 'chart',
        chart: {
          from: now - periodMs,
          to: now,
          zone,
          show: (value) => showReading({ ...stream, unit: null }, value),
          lines: lines.map(({ times, values, spanMs }, i) => {
            const one = numeric[i]!;
            return {
              title: several ? one.entry.name : one.stream.title,
              times,
              values,
              spanMs,
              unit: showUnit(one.stream.unit),
              steps: one.stream.type === 'boolean' || one.stream.type === 'choice',
            };
          }),
        },
      };
    }
    default:
      return null;
  }
}
