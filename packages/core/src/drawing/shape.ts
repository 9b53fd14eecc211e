/** The colours of the surveyor's staff and notebook, for day and night. */
export const LIGHT_INKS = {
  paper: '#F6F2E9',
  ink: '#2C2420',
  soft: '#6B5F57',
  line: '#2C242033',
  faint: '#2C24200F',
  heather: '#74487A',
  moss: '#56682C',
  rowan: '#A8381C',
  pool: '#2B5F6E',
  gorse: '#E9B000',
  peat: '#2C2420',
};
export type Inks = Record<keyof typeof LIGHT_INKS, string>;
export const DARK_INKS: Inks = {
  paper: '#1D1815',
  ink: '#EDE6DA',
  soft: '#B0A598',
  line: '#EDE6DA33',
  faint: '#EDE6DA12',
  heather: '#C9A0CE',
  moss: '#AABD7C',
  rowan: '#F08A68',
  pool: '#8FC1CC',
  gorse: '#E9B000',
  peat: '#2C2420',
};
export type InkName = keyof Inks;

/** How a shape is painted: colours by their names, so that the same drawing is made by day and by night. */
interface Paint {
  fill?: InkName | 'none';
  stroke?: InkName;
  strokeWidth?: number;
  opacity?: number;
  /** Lengths of dash and gap. */
  dash?: string;
  /** What it is, where that is said on pointing at it. */
  title?: string;
}
/** One part of a drawing, in px; a page and a picture draw it alike. */
export type Shape =
  | (Paint & { is: 'rect'; x: number; y: number; width: number; height: number })
  | (Paint & { is: 'line'; x1: number; y1: number; x2: number; y2: number })
  | (Paint & { is: 'path'; d: string })
  | (Paint & { is: 'circle'; cx: number; cy: number; r: number })
  | (Paint & {
      is: 'text';
      x: number;
      y: number;
      text: string;
      size: number;
      anchor: 'start' | 'middle' | 'end';
      /** In the face for values. */
      mono?: true;
      bold?: true;
    })
  /** Parts that move up and down together. */
  | { is: 'group'; dy: number; opacity?: number; shapes: Shape[] }
  /** A drawing of its own size, made to fit. */
  | { is: 'fitted'; x: number; y: number; scale: number; shapes: Shape[] };

const escape = (text: string): string => text.replace(/[&<>"']/g, (letter) => `&#${letter.charCodeAt(0)};`);
const n = (value: number): string => String(Number(value.toFixed(2)));

/** A drawing as SVG 1.1. Without a ground it is transparent. */
export function toSvg(
  shapes: readonly Shape[],
  {
    width,
    height,
    inks,
    ground = true,
    title,
  }: { width: number; height: number; inks: Inks; ground?: boolean; title: string },
): string {
  const colour = (name: InkName | 'none'): string => (name === 'none' ? name : inks[name]);
  const paint = ({ fill, stroke, strokeWidth, opacity, dash }: Paint): string =>
    [
      fill === undefined ? '' : ` fill="${colour(fill)}"`,
      stroke === undefined ? '' : ` stroke="${colour(stroke)}" stroke-linejoin="round"`,
      strokeWidth === undefined ? '' : ` stroke-width="${strokeWidth}"`,
      opacity === undefined ? '' : ` opacity="${n(opacity)}"`,
      dash === undefined ? '' : ` stroke-dasharray="${dash}"`,
    ].join('');
  const draw = (shape: Shape): string => {
    switch (shape.is) {
      case 'rect':
        return `<rect x="${n(shape.x)}" y="${n(shape.y)}" width="${n(shape.width)}" height="${n(shape.height)}"${paint(shape)}/>`;
      case 'line':
        return `<line x1="${n(shape.x1)}" y1="${n(shape.y1)}" x2="${n(shape.x2)}" y2="${n(shape.y2)}"${paint(shape)}/>`;
      case 'path':
        return `<path d="${shape.d}"${paint(shape)}/>`;
      case 'circle':
        return `<circle cx="${n(shape.cx)}" cy="${n(shape.cy)}" r="${n(shape.r)}"${paint(shape)}/>`;
      case 'text':
        return `<text x="${n(shape.x)}" y="${n(shape.y)}" font-size="${n(shape.size)}" text-anchor="${shape.anchor}"${shape.bold ? ' font-weight="700"' : ''}${paint(shape)}>${escape(shape.text)}</text>`;
      case 'fitted':
        return `<g transform="translate(${n(shape.x)} ${n(shape.y)}) scale(${n(shape.scale)})">${shape.shapes.map(draw).join('')}</g>`;
      case 'group':
        return `<g transform="translate(0 ${n(shape.dy)})"${shape.opacity === undefined ? '' : ` opacity="${n(shape.opacity)}"`}>${shape.shapes.map(draw).join('')}</g>`;
    }
  };
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="Atkinson Hyperlegible Next, sans-serif" role="img"><title>${escape(title)}</title>${ground ? `<rect width="${width}" height="${height}" fill="${inks.paper}"/>` : ''}${shapes.map(draw).join('\n')}</svg>`;
}
