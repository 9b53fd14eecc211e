import { Box, Slider } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { numberOption } from '@peatmoor/core';
import { useControl } from '../../devices/useControl';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** Sets a number along its range; it is sent when the handle is let go, and not on its way. */
function SliderBody({ widget, sources: [source], editing }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const control = useControl(device, stream);
  const display = useDisplay()(stream);
  const [dragged, setDragged] = useState<number | null>(null);
  const [min, max] = [
    display.convert(numberOption(widget, 'min') ?? stream.min ?? 0),
    display.convert(numberOption(widget, 'max') ?? stream.max ?? 100),
  ];
  const chosen = numberOption(widget, 'step');
  const step =
    chosen === null
      ? stepOf(stream.type === 'integer' ? 0 : stream.decimals, max - min)
      : display.distance(chosen);
  const { value, reported } = control;
  const shown = dragged ?? (typeof value === 'number' ? display.convert(value) : min);
  return (
    <Steered
      control={control}
      sample={device === null}
      beside={typeof reported === 'number' && <span>measured {display.reading(reported)}</span>}
    >
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 2.5, px: 1 }}>
        <Slider
          aria-label={stream.title}
          value={shown}
          min={min}
          max={max}
          step={step}
          disabled={editing || device === null || !control.ready}
          onChange={(_event, next) => setDragged(next as number)}
          onChangeCommitted={(_event, next) => {
            setDragged(null);
            control.press(display.wanted(next as number));
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
          {dragged === null && value === undefined ? '–' : display.value(display.back(shown))}
          <span style={{ fontSize: '0.7em', color: ink.soft, marginLeft: '0.3em' }}>{display.unit}</span>
        </Box>
      </Box>
    </Steered>
  );
}

/** A step with the decimals that are shown, or a hundredth of the range. */
function stepOf(decimals: number | null, range: number): number {
  return decimals === null ? Number((range / 100).toPrecision(1)) || 1 : 10 ** -decimals;
}

export const slider: DrawnWidget = { Body: SliderBody, phoneHeight: 132 };
