import type { ReactNode } from 'react';
import { numberOption } from '@peatmoor/core';
import { ControlField } from '../../devices/ControlField';
import { useControl } from '../../devices/useControl';
import { useDisplay } from '../../parts/useDisplay';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** Sets a number, a choice, a text or a colour; shows what is wanted and how far it has come. */
function EntryBody({ widget, sources: [source], editing }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const control = useControl(device, stream);
  const display = useDisplay()(stream);
  const { command, state } = control;
  return (
    <Steered
      control={control}
      sample={device === null}
      beside={state === 'still' && command && display.reading(command.value)}
    >
      <ControlField
        stream={stream}
        value={control.value}
        disabled={editing || device === null || !control.ready}
        step={numberOption(widget, 'step')}
        onSend={control.press}
      />
    </Steered>
  );
}

export const entry: DrawnWidget = { Body: EntryBody, phoneHeight: 132 };
