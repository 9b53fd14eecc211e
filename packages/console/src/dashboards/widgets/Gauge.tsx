import { Box } from '@mui/material';
import { useRef, type ReactNode } from 'react';
import {
  ARC_BOX,
  arcShapes,
  gaugeFacts,
  optionOf,
  staffShapes,
  TANK_BOX,
  tankShapes,
  zoneOf,
  type GaugeFacts,
  type GaugeShape,
  type Widget,
} from '@peatmoor/core';
import { DAY_PERIOD } from '../../charts/period';
import { useHistory } from '../../charts/useHistory';
import { fitting } from '../../parts/fitting';
import { useSize } from '../../parts/useSize';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { Source } from '../useCatalogue';
import { Drawn } from './Drawn';

/** A gauge over the whole page, in px: its figures are read from across the room. */
const LARGE_PX = 400;

/** One value on a graduated scale, with its figures below. */
export function Gauge({
  widget,
  source,
  value: stored,
  wanted,
  sample,
}: {
  widget: Pick<Widget, 'type' | 'options'>;
  source: Source;
  /** In the datastream's own unit, as the others. */
  value: number | undefined;
  wanted?: number | undefined;
  sample: boolean;
}): ReactNode {
  const { stream } = source;
  const display = useDisplay()(stream);
  const box = useRef<HTMLDivElement>(null);
  const room = useSize(box);
  const day = useDayRange(source);
  const facts = gaugeFacts(
    widget,
    { stream, value: stored, wanted, day, convert: display.convert, sample },
    room,
  );
  const figure = stored === undefined ? '–' : display.value(stored);
  const zone = facts.value === undefined ? undefined : zoneOf(facts.zones, facts.value);
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
      <Box ref={box} sx={{ flex: 1, minHeight: 0, overflow: 'hidden' }}>
        {room.height > 30 && (
          <Drawing shape={optionOf(widget, 'shape') as GaugeShape} facts={facts} title={stream.title} />
        )}
      </Box>
      <Box
        sx={{ textAlign: 'center', fontFamily: MONO, lineHeight: 1.2, overflowWrap: 'anywhere' }}
        style={{ fontSize: fitting(figure, room.height > LARGE_PX ? '2.6rem' : '1.25rem') }}
      >
        {figure} <span style={{ fontSize: '0.8em', color: ink.soft }}>{display.unit}</span>
      </Box>
      {facts.guessed && (
        <Box
          data-guessed
          title="Nobody has said how far it goes. Take it over where the widget is changed, or give the datastream a range."
          sx={{
            alignSelf: 'center',
            fontSize: '0.8rem',
            color: ink.soft,
            borderBottom: `1px dashed ${ink.soft}`,
          }}
        >
          scale guessed
        </Box>
      )}
      {zone && (
        <Box
          data-zone={zone.tone}
          sx={{
            textAlign: 'center',
            fontSize: '0.85rem',
            color: zone.tone === 'wrong' ? ink.rowan : ink.soft,
            fontWeight: zone.tone === 'wrong' ? 700 : 400,
          }}
        >
          {zone.name}
        </Box>
      )}
    </Box>
  );
}

/** Least and greatest of the last 24 hours, as stored, or null where nothing was measured. */
function useDayRange({ device, stream }: Source): { min: number; max: number } | null {
  const [line] = useHistory(device === null ? [] : [{ device: device.id, stream: stream.key }], DAY_PERIOD);
  if (line === undefined || line.min.length === 0) return null;
  return { min: Math.min(...line.min), max: Math.max(...line.max) };
}

/** The scale itself: a staff in px, the others made to fit. */
function Drawing({
  shape,
  facts,
  title,
}: {
  shape: GaugeShape;
  facts: GaugeFacts;
  title: string;
}): ReactNode {
  const { width, height, min, max } = facts;
  const label = `${title} between ${min} and ${max}`;
  if (shape === 'staff')
    return (
      <Box
        component="svg"
        width={width}
        height={height}
        role="img"
        aria-label={label}
        sx={{ display: 'block' }}
      >
        <Drawn shapes={staffShapes(facts)} />
      </Box>
    );
  const box = shape === 'arc' ? ARC_BOX : TANK_BOX;
  return (
    <Box
      component="svg"
      viewBox={`0 0 ${box.width} ${box.height}`}
      preserveAspectRatio="xMidYMid meet"
      role="img"
      aria-label={label}
      sx={{ display: 'block', width: '100%', height: '100%' }}
    >
      <Drawn shapes={(shape === 'arc' ? arcShapes : tankShapes)(facts)} />
    </Box>
  );
}
