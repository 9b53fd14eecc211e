import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { StarterPlan } from '@peatmoor/core';
import type { Device, Kind, Me } from '@peatmoor/contract';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { ArrivalList } from './ArrivalList';
import { CheckProgram } from './CheckProgram';
import { ConnectLines } from './ConnectLines';
import { ProofSteps } from './ProofSteps';

interface ConnectPartProps {
  device: Device;
  kind: Kind;
  plan: StarterPlan;
  address: Me['address'];
  /** The time by the service's clock, epoch ms. */
  now: number;
  /** The token is no longer to stand in the lines. */
  onPutAway: () => void;
}

/** What a board needs to connect, and what comes from it meanwhile. */
export function ConnectPart({ device, kind, plan, address, now, onPutAway }: ConnectPartProps): ReactNode {
  return (
    <>
      <Box sx={{ mt: 3 }}>
        <ProofSteps device={device} now={now} />
      </Box>
      {plan.token !== null && (
        <Notice tone="plain" action={{ label: 'Put the token away', onClick: onPutAway }}>
          The token stands in the lines below, in this tab only, until you put it away.
        </Notice>
      )}
      <Section title="Connect it" id="connect" note="Lines to paste, MQTT settings, and a starter program.">
        <ConnectLines plan={plan} board={kind.board} />
      </Section>
      <Section title="Arrivals" note="Every message, as it comes.">
        <ArrivalList device={device} kind={kind} />
      </Section>
      <Section title="Check my program" note="Names, topics, addresses and tokens, before you flash it.">
        <CheckProgram device={device.id} kind={kind} address={address} />
      </Section>
    </>
  );
}
