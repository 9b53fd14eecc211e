import { Box, Button, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { under } from '../base';
import { useRead } from '../api';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { MONO } from '../theme';

const STEPS = {
  Android: [
    'Press the button below: the certificate is saved.',
    'Open Settings, Security, Encryption and credentials, Install a certificate, CA certificate.',
    'Choose the file that was saved, and confirm.',
  ],
  'iPhone and iPad': [
    'Press the button below, and allow the profile to be loaded.',
    'Open Settings, where the profile stands at the top, and install it.',
    'Open Settings, General, About, Certificate Trust Settings, and switch it on.',
  ],
} as const;

/** Puts the service's own authority on a phone, so that it can be installed and send alerts. Needs nobody signed in. */
export function Trust(): ReactNode {
  const read = useRead('readCertificate');
  const state = read.data;
  const apple = /iPhone|iPad/.test(navigator.userAgent);
  const order = (['Android', 'iPhone and iPad'] as const).toSorted((a) =>
    apple === (a === 'iPhone and iPad') ? -1 : 1,
  );
  const secure = `https://${location.host}${under('/')}`;
  return (
    <Box component="main" sx={{ maxWidth: 620, mx: 'auto', p: 3, pt: 5 }}>
      <Heading
        title="Trust this service on a phone"
        below="Phones install a page, and let it send alerts, only where they trust its certificate."
      />
      <Notice error={read.error} />
      {state?.certificate === null && (
        <Notice>
          {state.inUse
            ? 'This service has a certificate that phones know already.'
            : 'No certificate was made yet: an owner makes it under Settings.'}
        </Notice>
      )}
      {state?.certificate && (
        <>
          {order.map((system) => (
            <Box key={system} sx={{ mb: 3 }}>
              <Typography variant="h2">{system}</Typography>
              <Box component="ol" sx={{ pl: 3, my: 1 }}>
                {STEPS[system].map((step) => (
                  <li key={step}>{step}</li>
                ))}
              </Box>
            </Box>
          ))}
          <Button variant="contained" color="primary" size="large" href={under('/authority.crt')}>
            Load the certificate
          </Button>
          <Typography sx={{ mt: 3 }}>
            Its fingerprint (SHA-256), to compare with what the phone shows:
          </Typography>
          <Box sx={{ fontFamily: MONO, fontSize: '0.85rem', overflowWrap: 'anywhere', mb: 3 }}>
            {state.certificate.fingerprint}
          </Box>
          {state.inUse ? (
            <Button size="large" href={secure}>
              Then open {secure}
            </Button>
          ) : (
            <Notice>The service answers by it from its next start on.</Notice>
          )}
        </>
      )}
    </Box>
  );
}
