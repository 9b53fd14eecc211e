import { Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { connectionText, inspectToken } from '@peatmoor/core';
import { useRead } from '../api';
import { Copyable } from '../parts/Copyable';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { QrCode } from '../parts/QrCode';

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
  const me = useRead('me').data;
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
      {me && (
        <Box sx={{ my: 3, display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}>
          <QrCode text={connectionText(me.address, device.id, token)} label={`QR code of ${device.name}`} />
          <Box sx={{ maxWidth: 320 }}>
            Address, device ID and token as a QR code, for a board or an app that reads one.
          </Box>
        </Box>
      )}
      <Button variant="contained" color="primary" onClick={onDone}>
        Connect the device
      </Button>
    </>
  );
}
