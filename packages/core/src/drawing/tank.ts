import { isIn, letterSize, placeOn, ZONE_INKS, type GaugeFacts } from './facts';
import type { Shape } from './shape';

/** The drawing's own size: it is made to fit. */
export const TANK_BOX = { width: 170, height: 206 };
const TANK = { left: 58, right: 138, top: 10, bottom: 196 };

/** A tank with its surface: what is measured fills it, a dashed line is what is wanted. */
export function tankShapes(facts: GaugeFacts): Shape[] {
  const { value, wanted, target, day, zones, marks, min, max, sample } = facts;
  const size = letterSize(facts, TANK_BOX, 13);
  const y = (one: number): number => TANK.bottom - placeOn(facts, one) * (TANK.bottom - TANK.top);
  const quarter = (TANK.right - TANK.left) / 4;
  const shapes: Shape[] = zones.map(({ name, min: low, max: high, tone }) => ({
    is: 'rect',
    x: TANK.right + 4,
    y: y(high ?? max),
    width: 5,
    height: Math.max(0, y(low ?? min) - y(high ?? max)),
    fill: ZONE_INKS[tone],
    opacity: isIn(value, low, high) ? 0.6 : 0.2,
    title: name,
  }));
  if (value !== undefined)
    shapes.push({
      is: 'path',
      d: `M${TANK.left} ${y(value)}q${quarter / 2} -4 ${quarter} 0t${quarter} 0t${quarter} 0t${quarter} 0V${TANK.bottom}H${TANK.left}z`,
      fill: 'pool',
      opacity: sample ? 0.25 : 0.55,
    });
  if (day !== null)
    shapes.push({
      is: 'rect',
      x: TANK.right + 12,
      y: y(day.max),
      width: 5,
      height: Math.max(2, y(day.min) - y(day.max)),
      fill: 'pool',
      opacity: 0.35,
    });
  shapes.push({
    is: 'path',
    d: `M${TANK.left} ${TANK.top}V${TANK.bottom}H${TANK.right}V${TANK.top}`,
    fill: 'none',
    stroke: 'ink',
    strokeWidth: 2,
  });
  for (const mark of marks)
    shapes.push(
      { is: 'line', x1: TANK.left - 7, x2: TANK.left, y1: y(mark), y2: y(mark), stroke: 'ink' },
      {
        is: 'text',
        x: TANK.left - 11,
        y: y(mark) + 4.5,
        anchor: 'end',
        size,
        mono: true,
        fill: 'soft',
        text: String(mark),
      },
    );
  if (target !== null) shapes.push({ is: 'path', d: `M${TANK.left} ${y(target)}l-12 -6v12z`, fill: 'moss' });
  if (wanted !== undefined)
    shapes.push({
      is: 'line',
      x1: TANK.left + 3,
      x2: TANK.right - 3,
      y1: y(wanted),
      y2: y(wanted),
      stroke: 'heather',
      strokeWidth: 2.5,
      dash: '6 4',
    });
  return shapes;
}
