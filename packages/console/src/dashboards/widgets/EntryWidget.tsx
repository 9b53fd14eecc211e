import type { ReactNode } from 'react';
import { numberOption } from '@peatmoor/core';
import { ControlField } from '../../devices/ControlField';
import { onOffOf, useControl } from '../../devices/useControl';
import { useDisplay } from '../../parts/useDisplay';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** Sets a number, a choice, a text or a colour; shows what is wanted and how far it has come. */
function EntryBody({ widget, sources: [source], editing }: WidgetProps): ReactNode {
  const { device, stream, kind } = source;
  const control = useControl(device, stream, kind.intervalS);
  const display = useDisplay()(stream);
  return (
    <Steered
      control={control}
      sample={device === null}
      shown={control.value === undefined ? undefined : display.reading(control.value)}
    >
      <ControlField
        stream={stream}
        value={control.value}
        has={onOffOf(control)}
        disabled={editing || device === null || !control.may}
        busy={control.busy}
        step={numberOption(widget, 'step')}
        onSend={control.press}
      />
    </Steered>
  );
}

export const entry: DrawnWidget = { Body: EntryBody, phoneHeight: 132 };
