import type { Shape } from './shape';

const ROW = 26;
const TOP = 34;
const LETTER = 7.1;
const EDGE = 14;
const WIRE = 96;

/** What is wired to what: the part on the left, the board on the right, a line a wire. Gives shapes and their size in px. */
export function wiringShapes(
  part: string,
  lines: readonly (readonly [part: string, board: string])[],
): { shapes: Shape[]; width: number; height: number } {
  const widest = (texts: string[]): number =>
    Math.max(...texts.map(({ length }) => length)) * LETTER + 2 * EDGE;
  const left = Math.max(widest(lines.map(([from]) => from)), 90);
  const right = Math.max(widest(lines.map(([, to]) => to)), 90);
  const height = TOP + lines.length * ROW + 12;
  const width = left + WIRE + right + 2;
  const box = (x: number, w: number): Shape => ({
    is: 'rect',
    x: x + 1,
    y: TOP - 8,
    width: w,
    height: height - TOP,
    fill: 'faint',
    stroke: 'ink',
    strokeWidth: 1,
  });
  const title = (x: number, text: string): Shape => ({
    is: 'text',
    x,
    y: 16,
    anchor: 'start',
    size: 13,
    bold: true,
    fill: 'ink',
    text,
  });
  const shapes: Shape[] = [
    box(0, left),
    box(left + WIRE, right),
    // A long name may go on over the wires: the board's own stands at its right end.
    title(1, part),
    { ...title(left + WIRE + right, 'board'), anchor: 'end' } as Shape,
  ];
  for (const [i, [from, to]] of lines.entries()) {
    const y = TOP + i * ROW + ROW / 2 - 2;
    const [x1, x2] = [left + 1, left + WIRE + 1];
    const ink = inkOf(to);
    const through = /through|between| from GPIO|Ω/.test(from);
    shapes.push(
      { is: 'text', x: left - EDGE + 4, y: y + 4.5, anchor: 'end', size: 13, fill: 'ink', text: from },
      {
        is: 'text',
        x: x2 + EDGE - 2,
        y: y + 4.5,
        anchor: 'start',
        size: 13,
        mono: true,
        fill: 'ink',
        text: to,
      },
      { is: 'line', x1, x2, y1: y, y2: y, stroke: ink, strokeWidth: 2 },
      { is: 'circle', cx: x1, cy: y, r: 3.5, fill: ink },
      { is: 'circle', cx: x2, cy: y, r: 3.5, fill: ink },
    );
    // A resistor on the way.
    if (through)
      shapes.push({
        is: 'rect',
        x: (x1 + x2) / 2 - 12,
        y: y - 5,
        width: 24,
        height: 10,
        fill: 'paper',
        stroke: ink,
        strokeWidth: 1.5,
      });
  }
  return { shapes, width, height };
}

function inkOf(board: string): 'rowan' | 'ink' | 'pool' {
  if (board === 'GND') return 'ink';
  return /^(\d|supply|a supply)/.test(board) ? 'rowan' : 'pool';
}
