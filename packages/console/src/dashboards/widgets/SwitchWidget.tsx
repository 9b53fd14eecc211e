import type { ReactNode } from 'react';
import { onOffOf, useControl } from '../../devices/useControl';
import { OnOff } from '../../parts/OnOff';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** Tells a board on or off; shows how far the command has come. */
function SwitchBody({ sources: [source], editing }: WidgetProps): ReactNode {
  const { device, stream, kind } = source;
  const control = useControl(device, stream, kind.intervalS);
  return (
    <Steered control={control} shown={control.value === 1 ? 'on' : 'off'} sample={device === null}>
      <OnOff
        {...onOffOf(control)}
        label={stream.title}
        disabled={editing || device === null || !control.may}
        busy={control.busy}
        onPress={control.press}
      />
    </Steered>
  );
}

export const onOffSwitch: DrawnWidget = { Body: SwitchBody, phoneHeight: 132 };
