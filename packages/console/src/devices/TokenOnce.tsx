import { Button } from '@mui/material';
import type { ReactNode } from 'react';
import { inspectToken } from '@peatmoor/core';
import { Copyable } from '../parts/Copyable';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';

/** A new token, shown this one time. */
export function TokenOnce({
  device,
  token,
  onDone,
}: {
  device: { id: string; name: string };
  token: string;
  onDone: () => void;
}): ReactNode {
  return (
    <>
      <Heading
        title={`The token of ${device.name}`}
        below="It is shown only now. Copy or download it; later it is known by its fingerprint."
      />
      <Copyable text={token} file={`${device.id}-token.txt`} />
      <Notice tone="plain">
        Fingerprint: <b>{inspectToken(token).fingerprint}</b>. Lost it? Make another on the device’s page;
        this one can be withdrawn there.
      </Notice>
      <Button variant="contained" color="primary" onClick={onDone}>
        Connect the device
      </Button>
    </>
  );
}
