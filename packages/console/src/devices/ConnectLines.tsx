import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import {
  pasteLines,
  STARTER_SORTS,
  STARTERS,
  TOKEN_PLACEHOLDER,
  type StarterPlan,
  type StarterSort,
} from '@peatmoor/core';
import { Copyable, downloadText } from '../parts/Copyable';
import { ink, MONO } from '../theme';

/** Everything a board needs: lines to paste, MQTT settings, a starter program. */
export function ConnectLines({ plan }: { plan: StarterPlan }): ReactNode {
  const lines = pasteLines(plan);
  const [sort, setSort] = useState<StarterSort>('cpp');
  const files = STARTERS[sort].make(plan);
  const [path, setPath] = useState('');
  const file = files.find((one) => one.path === path) ?? files[0]!;
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
        <Typography color="text.secondary" sx={{ mb: 1 }}>
          Put the device token where the lines say {TOKEN_PLACEHOLDER}; a new one can be made below.
        </Typography>
      )}
      <Box sx={{ display: 'grid', gridTemplateColumns: { md: '1fr 320px' }, columnGap: 5 }}>
        <Box sx={{ minWidth: 0 }}>
          <Copyable label="With curl, over HTTP" text={lines.curl} />
          <Copyable label="With mosquitto_pub, over MQTT" text={lines.mosquitto} />
          <Copyable label="For firmware that can only fetch an address" text={lines.curlGet} />
        </Box>
        <Box
          component="dl"
          sx={{
            m: 0,
            mt: 1.5,
            alignSelf: 'start',
            display: 'grid',
            gridTemplateColumns: 'auto 1fr',
            columnGap: 2,
            rowGap: 0.5,
          }}
        >
          <Typography variant="h3" sx={{ gridColumn: '1 / -1' }}>
            MQTT settings
          </Typography>
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
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 3, mt: 3, alignItems: 'flex-end' }}>
        <TextField
          select
          label="Starter program"
          value={sort}
          onChange={({ target }) => setSort(target.value as StarterSort)}
          sx={{ maxWidth: 340 }}
        >
          {STARTER_SORTS.map((one) => (
            <MenuItem key={one} value={one}>
              {STARTERS[one].title}
            </MenuItem>
          ))}
        </TextField>
        <Box sx={{ display: 'flex', gap: 2, flexWrap: 'wrap' }}>
          {files.map((one) => (
            <Button
              key={one.path}
              variant="text"
              onClick={() => setPath(one.path)}
              sx={{
                fontFamily: MONO,
                fontWeight: one === file ? 700 : 400,
                color: one === file ? ink.heather : 'inherit',
              }}
            >
              {one.path}
            </Button>
          ))}
          <Button
            onClick={() => files.forEach((one) => downloadText(one.path.replace(/^.*\//, ''), one.text))}
          >
            Download all {files.length} files
          </Button>
        </Box>
      </Box>
      <Copyable text={file.text} file={file.path.replace(/^.*\//, '')} />
    </>
  );
}
