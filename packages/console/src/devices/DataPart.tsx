import type { ReactNode } from 'react';
import type { Kind } from '@peatmoor/contract';
import { Section } from '../parts/Heading';
import { Correct } from './Correct';
import { TakeAway } from './TakeAway';

/** A device's readings as files, and what takes them away for good. */
export function DataPart({ device, kind }: { device: string; kind: Kind }): ReactNode {
  return (
    <>
      <Section title="Its data" note="Take it away, or bring older readings in.">
        <TakeAway device={device} />
      </Section>
      <Section title="Delete readings" note="Counted first; kept on record.">
        <Correct device={device} kind={kind} />
      </Section>
    </>
  );
}
