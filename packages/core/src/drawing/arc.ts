import { isIn, letterSize, placeOn, ZONE_INKS, type GaugeFacts } from './facts';
import type { Shape } from './shape';

/** The drawing's own size: it is made to fit. */
export const ARC_BOX = { width: 260, height: 112 };
const CENTRE = { x: 130, y: 150 };
const RADIUS = 118;
/** Degrees to both sides of upright: shallow. */
const HALF = 60;

function at(place: number, radius: number): [number, number] {
  const angle = ((place * 2 - 1) * HALF * Math.PI) / 180;
  return [CENTRE.x + radius * Math.sin(angle), CENTRE.y - radius * Math.cos(angle)];
}

function arc(from: number, to: number, radius: number): string {
  const [x1, y1] = at(from, radius);
  const [x2, y2] = at(to, radius);
  return `M${x1} ${y1}A${radius} ${radius} 0 0 1 ${x2} ${y2}`;
}

/** A shallow arc with ticks, on which a bead is what is measured and a ring what is wanted. */
export function arcShapes(facts: GaugeFacts): Shape[] {
  const { value, wanted, target, day, zones, marks, sample, min, max } = facts;
  const size = letterSize(facts, ARC_BOX, 12);
  const place = (one: number): number => placeOn(facts, one);
  const shapes: Shape[] = zones.map(({ name, min: low, max: high, tone }) => ({
    is: 'path',
    d: arc(place(low ?? min), place(high ?? max), RADIUS - 9),
    fill: 'none',
    stroke: ZONE_INKS[tone],
    strokeWidth: 8,
    opacity: isIn(value, low, high) ? 0.4 : 0.12,
    title: name,
  }));
  if (day !== null)
    shapes.push({
      is: 'path',
      d: arc(place(day.min), Math.max(place(day.min) + 0.01, place(day.max)), RADIUS + 7),
      fill: 'none',
      stroke: 'pool',
      strokeWidth: 4,
      opacity: 0.35,
    });
  shapes.push({ is: 'path', d: arc(0, 1, RADIUS), fill: 'none', stroke: 'ink', strokeWidth: 1.5 });
  for (const mark of marks) {
    const [x1, y1] = at(place(mark), RADIUS);
    const [x2, y2] = at(place(mark), RADIUS - 9);
    const [x, y] = at(place(mark), RADIUS - 12 - size);
    shapes.push(
      { is: 'line', x1, y1, x2, y2, stroke: 'ink' },
      { is: 'text', x, y: y + 4, anchor: 'middle', size, mono: true, fill: 'soft', text: String(mark) },
    );
  }
  if (target !== null) {
    const spot = place(target);
    shapes.push({
      is: 'path',
      d: `M${at(spot, RADIUS + 2).join(' ')}L${at(spot - 0.02, RADIUS + 14).join(' ')}L${at(spot + 0.02, RADIUS + 14).join(' ')}z`,
      fill: 'moss',
    });
  }
  if (wanted !== undefined) {
    const [cx, cy] = at(place(wanted), RADIUS);
    shapes.push({ is: 'circle', cx, cy, r: 9, fill: 'paper', stroke: 'heather', strokeWidth: 2.5 });
  }
  if (value !== undefined) {
    const [cx, cy] = at(place(value), RADIUS);
    shapes.push({
      is: 'circle',
      cx,
      cy,
      r: 7,
      fill: 'pool',
      stroke: 'paper',
      strokeWidth: 2,
      opacity: sample ? 0.45 : 1,
    });
  }
  return shapes;
}
