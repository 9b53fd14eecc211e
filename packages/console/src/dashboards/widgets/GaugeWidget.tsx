import type { ReactNode } from 'react';
import { fitRange, isControllable, numberOption } from '@peatmoor/core';
import { useRead } from '../../api';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Gauge } from './Gauge';
import { OneValue } from './OneValue';

function GaugeBody({ widget, sources: [source] }: WidgetProps): ReactNode {
  const { device, stream } = source;
  const commands = useRead(
    'listCommands',
    { params: { device: device?.id ?? '' } },
    device !== null && isControllable(stream),
  ).data;
  const command = commands?.find((one) => one.stream === stream.key)?.value;
  return (
    <OneValue source={source}>
      {({ value, sample }) => {
        const number = typeof value === 'number' ? value : undefined;
        const range = fitRange(number ?? 0, number ?? 100);
        return (
          <Gauge
            source={source}
            value={number}
            wanted={typeof command === 'number' ? command : undefined}
            min={numberOption(widget, 'min') ?? stream.min ?? range.min}
            max={numberOption(widget, 'max') ?? stream.max ?? range.max}
            sample={sample}
          />
        );
      }}
    </OneValue>
  );
}

export const gauge: DrawnWidget = { Body: GaugeBody, phoneHeight: 300 };
