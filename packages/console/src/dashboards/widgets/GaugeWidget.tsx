import type { ReactNode } from 'react';
import { followed, isControllable } from '@peatmoor/core';
import { useRead } from '../../api';
import type { DrawnWidget, WidgetProps } from './drawn';
import { Gauge } from './Gauge';
import { OneValue } from './OneValue';

function GaugeBody({ widget, sources: [source] }: WidgetProps): ReactNode {
  const { device, stream, kind } = source;
  // What it is wanted to be: by itself, or by the control that it must follow.
  const control = isControllable(stream)
    ? stream
    : kind.streams.find(({ follow }) => follow?.way === 'same' && followed(follow, kind.streams) === stream);
  const commands = useRead(
    'listCommands',
    { params: { device: device?.id ?? '' } },
    device !== null && control !== undefined,
  ).data;
  const wanted = commands?.find((one) => one.stream === control?.key);
  const command = wanted?.state === 'refused' || wanted?.state === 'expired' ? undefined : wanted?.value;
  return (
    <OneValue source={source}>
      {({ value, sample }) => (
        <Gauge
          widget={widget}
          source={source}
          value={typeof value === 'number' ? value : undefined}
          wanted={typeof command === 'number' ? command : undefined}
          sample={sample}
        />
      )}
    </OneValue>
  );
}

export const gauge: DrawnWidget = { Body: GaugeBody, phoneHeight: 300 };
