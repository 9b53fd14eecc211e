import { arcShapes, ARC_BOX } from './arc';
import { optionOf, type GaugeShape, type Widget } from '../dashboards';
import { gaugeFacts, type GaugeReadings } from './facts';
import { lineShapes, type LinesChart } from './lines';
import type { Shape } from './shape';
import { staffShapes } from './staff';
import { TANK_BOX, tankShapes } from './tank';

/** What stands in a picture of a widget. */
export type Pictured =
  | {
      is: 'gauge';
      widget: Pick<Widget, 'type' | 'options'>;
      readings: GaugeReadings;
      figure: string;
      unit: string;
    }
  | { is: 'value'; figure: string; unit: string }
  | { is: 'chart'; chart: Omit<LinesChart, 'width' | 'height'> };

const TITLE = 15;
const NOTE = 12;
const EDGE = 10;

/** A widget as a picture: its title, what it shows, and a line below, such as since when nothing came. */
export function pictureShapes(
  pictured: Pictured,
  { title, note, width, height }: { title: string; note: string; width: number; height: number },
): Shape[] {
  const top = EDGE + TITLE + 6;
  const bottom = height - (note === '' ? EDGE / 2 : NOTE + EDGE);
  const room = { width, height: bottom - top };
  const shapes: Shape[] = [
    {
      is: 'text',
      x: EDGE,
      y: EDGE + TITLE - 3,
      anchor: 'start',
      size: TITLE,
      bold: true,
      fill: 'ink',
      text: title,
    },
  ];
  if (note !== '')
    shapes.push({
      is: 'text',
      x: EDGE,
      y: height - EDGE + 2,
      anchor: 'start',
      size: NOTE,
      fill: 'soft',
      text: note,
    });
  const figure = (text: string, unit: string, x: number, y: number, size: number): void => {
    shapes.push({
      is: 'text',
      x,
      y,
      anchor: 'middle',
      size,
      mono: true,
      fill: 'ink',
      text: unit === '' ? text : `${text} ${unit}`,
    });
  };
  if (pictured.is === 'value')
    figure(pictured.figure, pictured.unit, width / 2, top + room.height / 2 + 12, Math.min(44, width / 7));
  else if (pictured.is === 'chart')
    shapes.push({ is: 'group', dy: top, shapes: lineShapes({ ...pictured.chart, ...room }) });
  else {
    const inner = { width, height: room.height - 28 };
    shapes.push(...gauge(pictured, inner, top));
    figure(pictured.figure, pictured.unit, width / 2, top + room.height - 6, 20);
  }
  return shapes;
}

function gauge(
  { widget, readings }: Extract<Pictured, { is: 'gauge' }>,
  { width, height }: { width: number; height: number },
  top: number,
): Shape[] {
  const shape = optionOf(widget, 'shape') as GaugeShape;
  const facts = gaugeFacts(widget, readings, { width, height });
  if (shape === 'staff') return [{ is: 'group', dy: top, shapes: staffShapes(facts) }];
  const box = shape === 'arc' ? ARC_BOX : TANK_BOX;
  const drawn = (shape === 'arc' ? arcShapes : tankShapes)(facts);
  const scale = Math.min(width / box.width, height / box.height);
  return [
    {
      is: 'fitted',
      x: (width - box.width * scale) / 2,
      y: top + (height - box.height * scale) / 2,
      scale,
      shapes: drawn,
    },
  ];
}
