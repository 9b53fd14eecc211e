import type { CSSProperties, ReactNode } from 'react';
import type { InkName, Shape } from '@peatmoor/core';
import { dates } from '../../parts/time';
import { ink, MONO } from '../../theme';

const colour = (name: InkName | 'none' | undefined): string | undefined =>
  name === undefined || name === 'none' ? name : ink[name];

/** What is drawn moves smoothly to where it stands next. */
const MOVES: CSSProperties = { transition: 'transform 180ms, cx 180ms, cy 180ms' };

/** A drawing of core on the page: the same shapes as in pictures and mails. */
export function Drawn({ shapes }: { shapes: readonly Shape[] }): ReactNode {
  return shapes.map((shape, i) => <One key={`${shape.is} ${i}`} shape={shape} />);
}

function One({ shape }: { shape: Shape }): ReactNode {
  if (shape.is === 'group')
    return (
      <g opacity={shape.opacity} style={{ ...MOVES, transform: `translateY(${shape.dy}px)` }}>
        <Drawn shapes={shape.shapes} />
      </g>
    );
  if (shape.is === 'fitted')
    return (
      <g transform={`translate(${shape.x} ${shape.y}) scale(${shape.scale})`}>
        <Drawn shapes={shape.shapes} />
      </g>
    );
  const { fill, stroke, strokeWidth, opacity, dash, title } = shape;
  const paint = {
    fill: colour(fill),
    stroke: colour(stroke),
    strokeWidth,
    opacity,
    strokeDasharray: dash,
    ...(stroke !== undefined && { strokeLinejoin: 'round' as const }),
  };
  const inner = title === undefined ? null : <title>{title}</title>;
  switch (shape.is) {
    case 'rect':
      return (
        <rect x={shape.x} y={shape.y} width={shape.width} height={shape.height} {...paint}>
          {inner}
        </rect>
      );
    case 'line':
      return <line x1={shape.x1} y1={shape.y1} x2={shape.x2} y2={shape.y2} {...paint} />;
    case 'path':
      return (
        <path d={shape.d} {...paint}>
          {inner}
        </path>
      );
    case 'circle':
      return <circle cx={shape.cx} cy={shape.cy} r={shape.r} {...paint} style={MOVES} />;
    case 'text':
      return (
        <text
          x={shape.x}
          y={shape.y}
          textAnchor={shape.anchor}
          fontSize={shape.size}
          fontWeight={shape.bold ? 700 : undefined}
          fontFamily={shape.mono ? MONO : undefined}
          {...paint}
        >
          {dates().figure(shape.text)}
        </text>
      );
  }
}
