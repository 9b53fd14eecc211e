import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { useNavigate } from 'react-router';
import type { Device, Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { Facts } from './Facts';
import { HandOver } from './HandOver';
import { Tokens } from './Tokens';
import { WhenItReported } from './WhenItReported';

interface AboutPartProps {
  device: Device;
  kind: Kind;
  onToken: (token: string) => void;
}

/** What a device is, when it reported, its tokens, and its end. */
export function AboutPart({ device, kind, onToken }: AboutPartProps): ReactNode {
  const me = useRead('me').data;
  return (
    <>
      <Section title="About it">
        <Facts key={device.name} device={device} />
      </Section>
      {device.proof.firstReadingAt !== null && (
        <Section title="When it reported" note="Readings in each hour of the last two weeks.">
          <WhenItReported device={device} kind={kind} />
        </Section>
      )}
      <Section title="Tokens" note="Known by their fingerprints.">
        <Tokens device={device.id} onMade={onToken} />
      </Section>
      {me?.role === 'owner' && <HandOver device={device.id} />}
      <DeleteDevice id={device.id} name={device.name} />
    </>
  );
}

function DeleteDevice({ id, name }: { id: string; name: string }): ReactNode {
  const navigate = useNavigate();
  const ask = useAsk();
  const remove = useChange('deleteDevice', ['listDevices', 'listKinds', 'overview']);
  return (
    <Box sx={{ mt: 6 }}>
      <Notice error={remove.error} />
      <Button
        variant="text"
        disabled={remove.isPending}
        onClick={() =>
          void ask({
            title: `Delete ${name}?`,
            text: `Delete ${name} with all its readings? This cannot be undone.`,
            action: 'Delete it',
          }).then(
            (yes) =>
              yes &&
              remove.mutate({ params: { device: id } }, { onSuccess: () => void navigate('/devices') }),
          )
        }
      >
        Delete this device
      </Button>
    </Box>
  );
}
