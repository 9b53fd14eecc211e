import { graduations } from '../dashboards/range';
import { isIn, placeOn, ZONE_INKS, type GaugeFacts } from './facts';
import type { Shape } from './shape';

const EDGE = 12;
const WIDTH = 26;

/**
 * A graduated upright staff: a solid notch is what is measured, a hollow one what is wanted, the side band is least to greatest
 * of the last 24 hours, a small flag the target. Drawn in px, so that its figures are of one size whatever there is room for.
 */
export function staffShapes(facts: GaugeFacts): Shape[] {
  const { value, wanted, target, day, zones, marks, min, max, sample, width, height } = facts;
  const top = EDGE;
  const bottom = Math.max(EDGE + 20, height - EDGE);
  const left = width / 2 - WIDTH / 2 + 6;
  const right = left + WIDTH;
  const fine = graduations(min, max, Math.max(8, Math.round(height / 8)));
  const y = (at: number): number => bottom - placeOn(facts, at) * (bottom - top);
  const shapes: Shape[] = zones.map(({ name, min: low, max: high, tone }) => ({
    is: 'rect',
    x: left,
    y: y(high ?? max),
    width: WIDTH,
    height: Math.max(0, y(low ?? min) - y(high ?? max)),
    fill: ZONE_INKS[tone],
    opacity: isIn(value, low, high) ? 0.4 : 0.12,
    title: name,
  }));
  if (day !== null)
    shapes.push({
      is: 'rect',
      x: right + 5,
      y: y(day.max),
      width: 6,
      height: Math.max(2, y(day.min) - y(day.max)),
      fill: 'pool',
      opacity: 0.35,
    });
  shapes.push({
    is: 'rect',
    x: left,
    y: top,
    width: WIDTH,
    height: bottom - top,
    fill: 'none',
    stroke: 'ink',
    strokeWidth: 1,
  });
  for (const [i, mark] of fine.slice(0, -1).entries())
    shapes.push({
      is: 'rect',
      x: i % 2 === 0 ? left : left + WIDTH / 2,
      y: y(fine[i + 1]!),
      width: WIDTH / 2,
      height: y(mark) - y(fine[i + 1]!),
      fill: 'ink',
      opacity: 0.16,
    });
  for (const mark of marks)
    shapes.push(
      { is: 'line', x1: left - 7, x2: left, y1: y(mark), y2: y(mark), stroke: 'ink' },
      {
        is: 'text',
        x: left - 11,
        y: y(mark) + 4.5,
        anchor: 'end',
        size: 13,
        mono: true,
        fill: 'soft',
        text: String(mark),
      },
    );
  if (target !== null)
    shapes.push({
      is: 'path',
      d: `M${left} ${y(target)}h-13l4 -4.5l-4 -4.5h13`,
      fill: 'moss',
      stroke: 'moss',
    });
  if (wanted !== undefined)
    shapes.push({
      is: 'path',
      d: `M${left - 2} ${y(wanted)}h${WIDTH + 4}l13 -8v16l-13 -8`,
      fill: 'paper',
      stroke: 'heather',
      strokeWidth: 2,
    });
  if (value !== undefined)
    shapes.push({
      is: 'group',
      dy: y(value),
      opacity: sample ? 0.45 : 1,
      shapes: [
        { is: 'line', x1: left - 2, x2: right + 3, y1: 0, y2: 0, stroke: 'pool', strokeWidth: 3.5 },
        { is: 'path', d: `M${right + 3} 0l17 -10v20z`, fill: 'pool', stroke: 'pool' },
      ],
    });
  return shapes;
}
