import { optionOf, type Widget } from '@peatmoor/core';
import { useControl, type Control } from '../../devices/useControl';
import { useAsk } from '../../parts/Ask';
import { useDisplay } from '../../parts/useDisplay';
import type { Source } from '../useCatalogue';

/** The control of a widget that steers; where its maker wants it so, it asks before anything is sent. */
export function useSteering(widget: Widget, { device, stream }: Source): Control {
  const control = useControl(device?.id ?? null, stream);
  const display = useDisplay()(stream);
  const ask = useAsk();
  if (optionOf(widget, 'asks') !== true) return control;
  const press: Control['press'] = (value) => {
    const words =
      typeof value === 'number'
        ? display.reading(value)
        : value === true
          ? 'on'
          : value === false
            ? 'off'
            : value;
    const action =
      stream.holds === 'momentary' && value === true ? stream.title : `${stream.title}: ${words}`;
    const text = `It is told to ${device?.name} at once.`;
    void ask({ title: `${action}?`, text, action }).then((yes) => yes && control.press(value));
  };
  return { ...control, press };
}
