import uPlot from 'uplot';
import type { Zone } from '@peatmoor/core';
import type { ScaleName } from './chartLine';

/** What stands on a chart beside its lines. */
export interface ChartMarks {
  nights: readonly (readonly [from: number, to: number])[];
  zones: readonly Zone[];
  /** A level that something watches, with its words. */
  limits: readonly { at: number; unit: string; words: string; urgent: boolean }[];
  events: readonly { from: number; to: number | null; urgent: boolean }[];
  notes: readonly { at: number; text: string }[];
  /** Where no reading came though some were expected, epoch ms. */
  gaps: readonly (readonly [from: number, to: number])[];
  markers: readonly number[];
  /** So many events or notes of a device are in the period that older ones are not marked. */
  isCut: boolean;
}

export const NO_MARKS: ChartMarks = {
  nights: [],
  zones: [],
  limits: [],
  events: [],
  notes: [],
  gaps: [],
  markers: [],
  isCut: false,
};

type Inks = (
  name: 'soft' | 'line' | 'faint' | 'ink' | 'heather' | 'rowan' | 'gorse' | 'moss' | 'paper',
) => string;

/** Draws what lies behind the lines: nights, zones and where nothing came. */
export function drawBehind(self: uPlot, { nights, zones, gaps }: ChartMarks, inks: Inks): void {
  const { ctx, bbox } = self;
  const dpr = devicePixelRatio;
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  const x = (at: number): number => self.valToPos(at / 1000, 'x', true);
  const y = (value: number): number => self.valToPos(value, 'y', true);
  ctx.fillStyle = inks('faint');
  for (const [from, to] of nights) ctx.fillRect(x(from), bbox.top, x(to) - x(from), bbox.height);
  ctx.font = `${11 * dpr}px "Atkinson Hyperlegible Next Variable"`;
  ctx.textAlign = 'right';
  ctx.textBaseline = 'alphabetic';
  for (const { name, min, max, tone } of zones) {
    const top = max === null ? bbox.top : Math.max(bbox.top, y(max));
    const bottom = min === null ? bbox.top + bbox.height : Math.min(bbox.top + bbox.height, y(min));
    if (!(bottom > top)) continue;
    ctx.globalAlpha = tone === 'good' ? 0.1 : 0.14;
    ctx.fillStyle = inks(tone === 'good' ? 'moss' : tone === 'look' ? 'gorse' : 'rowan');
    ctx.fillRect(bbox.left, top, bbox.width, bottom - top);
    ctx.globalAlpha = 1;
    if (bottom - top < 14 * dpr) continue;
    ctx.fillStyle = inks('soft');
    ctx.fillText(name, bbox.left + bbox.width - 5 * dpr, top + 12 * dpr);
  }
  ctx.strokeStyle = inks('line');
  ctx.lineWidth = dpr;
  for (const [from, to] of gaps) {
    const [left, right] = [Math.max(bbox.left, x(from)), Math.min(bbox.left + bbox.width, x(to))];
    if (right - left < 3 * dpr) continue;
    ctx.save();
    ctx.beginPath();
    ctx.rect(left, bbox.top, right - left, bbox.height);
    ctx.clip();
    ctx.beginPath();
    for (let at = left - bbox.height; at < right; at += 9 * dpr) {
      ctx.moveTo(at, bbox.top + bbox.height);
      ctx.lineTo(at + bbox.height, bbox.top);
    }
    ctx.stroke();
    ctx.restore();
  }
  ctx.restore();
}

/** Draws what lies over the lines: limits, events, notes and the two markers. */
export function drawOver(
  self: uPlot,
  { limits, events, notes, markers }: ChartMarks,
  scaleOf: (unit: string) => ScaleName,
  inks: Inks,
): void {
  const { ctx, bbox } = self;
  const dpr = devicePixelRatio;
  const bottom = bbox.top + bbox.height;
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top - 2 * dpr, bbox.width, bbox.height + 4 * dpr);
  ctx.clip();
  const x = (at: number): number => Math.round(self.valToPos(at / 1000, 'x', true));
  ctx.font = `${11 * dpr}px "Atkinson Hyperlegible Next Variable"`;
  ctx.textAlign = 'left';
  ctx.textBaseline = 'alphabetic';
  for (const { at, unit, words, urgent } of limits) {
    const y = Math.round(self.valToPos(at, scaleOf(unit), true));
    // Of a scale whose lines are all hidden nothing is known.
    if (!(y >= bbox.top && y <= bottom)) continue;
    ctx.strokeStyle = inks(urgent ? 'rowan' : 'soft');
    ctx.lineWidth = 1.25 * dpr;
    ctx.setLineDash([6 * dpr, 4 * dpr]);
    ctx.beginPath();
    ctx.moveTo(bbox.left, y);
    ctx.lineTo(bbox.left + bbox.width, y);
    ctx.stroke();
    ctx.setLineDash([]);
    ctx.fillStyle = inks(urgent ? 'rowan' : 'soft');
    const isRight = scaleOf(unit) !== 'y';
    ctx.textAlign = isRight ? 'right' : 'left';
    const start = isRight ? bbox.left + bbox.width - 6 * dpr : bbox.left + 6 * dpr;
    ctx.fillText(words, start, y - 4 * dpr > bbox.top + 10 * dpr ? y - 4 * dpr : y + 12 * dpr);
  }
  ctx.textAlign = 'left';
  for (const { from, to, urgent } of events) {
    const [left, right] = [x(from), to === null ? bbox.left + bbox.width : x(to)];
    ctx.fillStyle = inks(urgent ? 'rowan' : 'gorse');
    ctx.fillRect(left, bottom - 3 * dpr, Math.max(2 * dpr, right - left), 3 * dpr);
    // A flag where it opened.
    ctx.strokeStyle = inks('ink');
    ctx.lineWidth = dpr;
    ctx.beginPath();
    ctx.moveTo(left, bottom);
    ctx.lineTo(left, bottom - 13 * dpr);
    ctx.lineTo(left + 8 * dpr, bottom - 13 * dpr);
    ctx.lineTo(left + 6 * dpr, bottom - 10.5 * dpr);
    ctx.lineTo(left + 8 * dpr, bottom - 8 * dpr);
    ctx.lineTo(left, bottom - 8 * dpr);
    ctx.closePath();
    ctx.fill();
    ctx.stroke();
  }
  for (const { at } of notes) {
    const place = x(at);
    ctx.fillStyle = inks('heather');
    ctx.beginPath();
    ctx.moveTo(place, bbox.top + 9 * dpr);
    ctx.lineTo(place - 4.5 * dpr, bbox.top);
    ctx.lineTo(place + 4.5 * dpr, bbox.top);
    ctx.closePath();
    ctx.fill();
    ctx.fillRect(place - dpr / 2, bbox.top, dpr, bbox.height);
  }
  for (const [i, at] of markers.entries()) {
    const place = x(at);
    ctx.strokeStyle = inks('ink');
    ctx.lineWidth = 1.5 * dpr;
    ctx.beginPath();
    ctx.moveTo(place, bbox.top);
    ctx.lineTo(place, bottom);
    ctx.stroke();
    ctx.fillStyle = inks('ink');
    ctx.fillRect(place - 8 * dpr, bbox.top, 16 * dpr, 15 * dpr);
    ctx.fillStyle = inks('paper');
    ctx.textAlign = 'center';
    ctx.fillText(i === 0 ? 'A' : 'B', place, bbox.top + 11.5 * dpr);
    ctx.textAlign = 'left';
  }
  ctx.restore();
}

/** Writes above the two axes in which unit they are. */
export function drawUnits({ ctx, bbox }: uPlot, [left, right]: readonly [string, string], inks: Inks): void {
  const dpr = devicePixelRatio;
  ctx.save();
  ctx.font = `${13 * dpr}px "Atkinson Hyperlegible Next Variable"`;
  ctx.fillStyle = inks('soft');
  ctx.textBaseline = 'alphabetic';
  const y = bbox.top - 10 * dpr;
  // As the figures stand, unless it is longer than they have room.
  const wide = ctx.measureText(left).width;
  ctx.textAlign = 'left';
  ctx.fillText(left, Math.max(0, bbox.left - 9 * dpr - wide), y);
  const end = bbox.left + bbox.width + 9 * dpr;
  ctx.fillText(right, Math.min(end, ctx.canvas.width - ctx.measureText(right).width), y);
  ctx.restore();
}
