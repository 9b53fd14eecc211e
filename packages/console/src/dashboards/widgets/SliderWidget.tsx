import { Box, Slider } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { numberOption } from '@peatmoor/core';
import { useRead } from '../../api';
import { usePress } from '../../devices/usePress';
import { wantedValue } from '../../devices/wanted';
import { useNewest } from '../../live';
import { CommandMark, PressMark } from '../../parts/marks';
import { Notice } from '../../parts/Notice';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';

/** Sets a number along its range; it is sent when the handle is let go, and not on its way. */
function SliderBody({ widget, sources: [source], editing }: WidgetProps): ReactNode {
  const { stream } = source;
  const device = source.device?.id ?? '';
  const display = useDisplay()(stream);
  const commands = useRead('listCommands', { params: { device } }, source.device !== null).data;
  const { press, state, error } = usePress(device, stream.key);
  const newest = useNewest(source.device?.id ?? null, stream.key)?.value;
  const command = commands?.find((one) => one.stream === stream.key);
  const reported = stream.direction === 'both' ? newest : undefined;
  const wanted = wantedValue(command, reported);
  const [dragged, setDragged] = useState<number | null>(null);
  const [min, max] = [
    display.convert(numberOption(widget, 'min') ?? stream.min ?? 0),
    display.convert(numberOption(widget, 'max') ?? stream.max ?? 100),
  ];
  const step =
    numberOption(widget, 'step') ?? stepOf(stream.type === 'integer' ? 0 : stream.decimals, max - min);
  const shown = dragged ?? (typeof wanted === 'number' ? display.convert(wanted) : min);
  return (
    <Box
      sx={{ height: '100%', display: 'flex', flexDirection: 'column', justifyContent: 'center', gap: 0.25 }}
    >
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 2.5, px: 1 }}>
        <Slider
          aria-label={stream.title}
          value={shown}
          min={min}
          max={max}
          step={step}
          disabled={editing || source.device === null || state !== 'still'}
          onChange={(_event, next) => setDragged(next as number)}
          onChangeCommitted={(_event, next) => {
            setDragged(null);
            press(display.wanted(next as number));
          }}
          sx={{
            color: ink.ink,
            '& .MuiSlider-thumb': {
              width: 22,
              height: 22,
              borderRadius: '2px',
              '&::before': { boxShadow: 'none' },
            },
          }}
        />
        <Box sx={{ fontFamily: MONO, fontSize: '1.25rem', minWidth: '6ch', whiteSpace: 'nowrap' }}>
          {dragged === null && wanted === undefined ? '–' : display.value(display.back(shown))}
          <span style={{ fontSize: '0.7em', color: ink.soft, marginLeft: '0.3em' }}>{display.unit}</span>
        </Box>
      </Box>
      <Box sx={{ minHeight: '1.4em', color: ink.soft, display: 'flex', gap: 2, flexWrap: 'wrap' }}>
        {state !== 'still' ? (
          <PressMark state={state} />
        ) : (
          command && <CommandMark state={command.state} note={command.note} />
        )}
        {typeof reported === 'number' && <span>measured {display.reading(reported)}</span>}
      </Box>
      <Notice error={error} />
    </Box>
  );
}

/** A step with the decimals that are shown, or a hundredth of the range. */
function stepOf(decimals: number | null, range: number): number {
  return decimals === null ? Number((range / 100).toPrecision(1)) || 1 : 10 ** -decimals;
}

export const slider: DrawnWidget = { Body: SliderBody, phoneHeight: 132 };
