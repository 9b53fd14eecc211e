import type { ReactNode } from 'react';
import { useControl } from '../../devices/useControl';
import { OnOff } from '../../parts/OnOff';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Steered } from './Steered';

/** Tells a board on or off; shows how far the command has come. */
function SwitchBody({ sources: [source], editing }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const control = useControl(device, stream);
  return (
    <Steered control={control} sample={device === null}>
      <OnOff
        on={control.value === 1}
        label={stream.title}
        disabled={editing || device === null || !control.ready}
        onPress={control.press}
      />
    </Steered>
  );
}

export const onOffSwitch: DrawnWidget = { Body: SwitchBody, phoneHeight: 132 };
