import type { ReactNode } from 'react';
import type { Device, Kind } from '@peatmoor/contract';
import { Section } from '../parts/Heading';
import { ArrivalList } from './ArrivalList';
import { ReportByHand } from './ReportByHand';

/** Every message of a device, and a report by hand. */
export function ArrivalsPart({ device, kind }: { device: Device; kind: Kind }): ReactNode {
  return (
    <Section title="Arrivals" note="Every message, as it comes.">
      <ArrivalList device={device} kind={kind} />
      <ReportByHand device={device.id} kind={kind} />
    </Section>
  );
}
