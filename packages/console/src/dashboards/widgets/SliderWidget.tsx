import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { numberOption } from '@peatmoor/core';
import { useControl } from '../../devices/useControl';
import { HandleSlider } from '../../parts/HandleSlider';
import { useDisplay } from '../../parts/useDisplay';
import { ink, MONO } from '../../theme';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** Sets a number along its range; it is sent when the handle is let go, and not on its way. */
function SliderBody({ widget, sources: [source], editing }: WidgetProps): ReactNode {
  const { device, stream, kind } = source;
  const control = useControl(device, stream, kind.intervalS);
  const display = useDisplay()(stream);
  const [min, max] = [
    display.convert(numberOption(widget, 'min') ?? stream.min ?? 0),
    display.convert(numberOption(widget, 'max') ?? stream.max ?? 100),
  ];
  const chosen = numberOption(widget, 'step');
  const step =
    chosen === null
      ? stepOf(stream.type === 'integer' ? 0 : stream.decimals, max - min)
      : display.distance(chosen);
  const { standing, value, reported } = control;
  const shown = typeof value === 'number' ? value : undefined;
  const board = standing.is === 'wanted' ? standing.board : null;
  return (
    <Steered
      control={control}
      sample={device === null}
      beside={typeof reported === 'number' && <span>measured {display.reading(reported)}</span>}
    >
      <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', columnGap: 1.5 }}>
        <HandleSlider
          label={stream.title}
          value={shown === undefined ? undefined : display.convert(shown)}
          has={typeof board?.value === 'number' ? display.convert(board.value) : undefined}
          min={Math.min(min, max)}
          max={Math.max(min, max)}
          step={step}
          write={(one) => display.reading(display.back(one))}
          disabled={editing || device === null || !control.may}
          busy={control.busy}
          onSend={(next) => control.press(display.wanted(next))}
        />
        <Box sx={{ fontFamily: MONO, fontSize: '1.25rem', minWidth: '6ch', whiteSpace: 'nowrap' }}>
          {shown === undefined ? '–' : display.value(shown)}
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

export const slider: DrawnWidget = { Body: SliderBody, phoneHeight: 150 };
