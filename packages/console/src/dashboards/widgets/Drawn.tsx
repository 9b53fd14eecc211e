import { useLayoutEffect, useRef, type ReactNode, type RefObject } from 'react';
import type { InkName, Shape } from '@peatmoor/core';
import { dates } from '../../parts/time';
import { ink, MONO } from '../../theme';

const colour = (name: InkName | 'none' | undefined): string | undefined =>
  name === undefined || name === 'none' ? name : ink[name];

/** What is drawn moves smoothly to where it stands next. */
const MOVES = 'transform 180ms, cx 180ms, cy 180ms';
/** What moves again sooner is set there at once, in ms: it would never rest, and every frame of a page would be drawn for it. */
const CALM_MS = 1000;

/** Lets an element glide to its new place where it stood still for a while. */
function useGlide<E extends SVGElement>(place: string): RefObject<E | null> {
  const element = useRef<E>(null);
  /** When it last moved; null until it is there. */
  const movedAt = useRef<number | null>(null);
  useLayoutEffect(() => {
    if (movedAt.current === null) return void (movedAt.current = -Infinity);
    const now = performance.now();
    element.current!.style.transition = now - movedAt.current >= CALM_MS ? MOVES : 'none';
    movedAt.current = now;
  }, [place]);
  return element;
}

function Group({ shape }: { shape: Extract<Shape, { is: 'group' }> }): ReactNode {
  const element = useGlide<SVGGElement>(String(shape.dy));
  return (
    <g ref={element} opacity={shape.opacity} style={{ transform: `translateY(${shape.dy}px)` }}>
      <Drawn shapes={shape.shapes} />
    </g>
  );
}

function Circle({ shape, ...rest }: { shape: Extract<Shape, { is: 'circle' }> }): ReactNode {
  const element = useGlide<SVGCircleElement>(`${shape.cx} ${shape.cy}`);
  return <circle ref={element} cx={shape.cx} cy={shape.cy} r={shape.r} {...rest} />;
}

/** A drawing of core on the page: the same shapes as in pictures and mails. */
export function Drawn({ shapes }: { shapes: readonly Shape[] }): ReactNode {
  return shapes.map((shape, i) => <One key={`${shape.is} ${i}`} shape={shape} />);
}

function One({ shape }: { shape: Shape }): ReactNode {
  if (shape.is === 'group') return <Group shape={shape} />;
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
      return <Circle shape={shape} {...paint} />;
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
