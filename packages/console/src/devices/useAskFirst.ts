import type { Datastream } from '@peatmoor/core';
import { useAsk } from '../parts/Ask';
import { useDisplay } from '../parts/useDisplay';

/** Whether a value may be sent: at once, or where its datastream asks first, once whoever presses says so. */
export function useAskFirst(): (
  deviceName: string,
  stream: Datastream,
  value: number | boolean | string,
) => Promise<boolean> {
  const ask = useAsk();
  const display = useDisplay();
  return (deviceName, stream, value) => {
    if (!stream.asks) return Promise.resolve(true);
    const words =
      typeof value === 'number'
        ? display(stream).reading(value)
        : value === true
          ? 'on'
          : value === false
            ? 'off'
            : value;
    const action =
      stream.holds === 'momentary' && value === true ? stream.title : `${stream.title}: ${words}`;
    return ask({ title: `${action}?`, text: `It is told to ${deviceName} at once.`, action });
  };
}
