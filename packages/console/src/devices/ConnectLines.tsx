import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { pasteLines, sortFor, STARTER_SORTS, TOKEN_PLACEHOLDER, type StarterPlan } from '@peatmoor/core';
import { Copyable } from '../parts/Copyable';
import { ink, MONO } from '../theme';
import { StarterProject } from './StarterProject';

/** Everything a board needs: lines to paste, MQTT settings, a starter program. */
export function ConnectLines({ plan, board }: { plan: StarterPlan; board: string }): ReactNode {
  const lines = pasteLines(plan);
  const settings = [
    ['Host', plan.host],
    ['Port', String(plan.mqttPort)],
    ['User name', plan.deviceId],
    ['Password', plan.token ?? 'the device token'],
    ['Topic', `moor/${plan.deviceId}/report`],
  ];
  return (
    <>
      {plan.token === null && (
        <Typography color="textSecondary" sx={{ mb: 1 }}>
          Put the device token where the lines say {TOKEN_PLACEHOLDER}; a new one can be made under “About and
          tokens”.
        </Typography>
      )}
      <Box sx={{ display: 'grid', gridTemplateColumns: { md: '1fr 320px' }, columnGap: 5 }}>
        <Box sx={{ minWidth: 0 }}>
          <Copyable label="With curl, over HTTP" text={lines.curl} />
          <Copyable label="With mosquitto_pub, over MQTT" text={lines.mosquitto} />
          <Copyable label="For firmware that can only fetch an address" text={lines.curlGet} />
        </Box>
        <Box sx={{ mt: 1.5, alignSelf: 'start' }}>
          <Typography variant="h3" sx={{ mb: 0.5 }}>
            MQTT settings
          </Typography>
          <Box
            component="dl"
            sx={{ m: 0, display: 'grid', gridTemplateColumns: 'auto 1fr', columnGap: 2, rowGap: 0.5 }}
          >
            {settings.map(([name, value]) => (
              <Box key={name} sx={{ display: 'contents' }}>
                <Box component="dt" sx={{ color: ink.soft }}>
                  {name}
                </Box>
                <Box
                  component="dd"
                  sx={{ m: 0, fontFamily: MONO, fontSize: '0.9rem', overflowWrap: 'anywhere' }}
                >
                  {value}
                </Box>
              </Box>
            ))}
          </Box>
        </Box>
      </Box>
      <StarterProject plan={plan} sorts={STARTER_SORTS} first={sortFor(board)} />
    </>
  );
}
