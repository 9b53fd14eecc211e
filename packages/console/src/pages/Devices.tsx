import { counted } from '@peatmoor/core';
import { Box, Button, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { useChange, useRead } from '../api';
import { ManyDevices } from '../devices/ManyDevices';
import { useHeardUntil } from '../live';
import { Heading, Section } from '../parts/Heading';
import { KindMark } from '../parts/KindMark';
import { PresenceMark } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { ink, MONO } from '../theme';

/** All devices by kind, and whose a token is. */
export function Devices(): ReactNode {
  const devices = useRead('listDevices');
  const kinds = useRead('listKinds');
  const now = useHeardUntil();
  return (
    <>
      <Heading title="Devices" below="By kind: what devices of one sort have in common.">
        <Button component={Link} to="/arrivals">
          All arrivals
        </Button>
        <Button variant="contained" color="primary" component={Link} to="/devices/new">
          Add a device
        </Button>
      </Heading>
      <Notice error={devices.error ?? kinds.error} />
      {kinds.data?.map((kind) => (
        <Section
          key={kind.id}
          title={kind.title}
          mark={<KindMark icon={kind.icon} />}
          note={
            <>
              {counted(kind.streams.length, 'datastream')}, every {kind.intervalS} s.{' '}
              <Link to={`/kinds/${kind.id}`}>Look at the kind</Link>
              {' · '}
              <Link to={`/devices/new?kind=${kind.id}`}>Add another like it</Link>
            </>
          }
        >
          {devices.data
            ?.filter(({ kindId }) => kindId === kind.id)
            .map((device) => (
              <Box
                key={device.id}
                sx={{
                  display: 'grid',
                  gridTemplateColumns: { xs: '1fr auto', sm: '1fr 220px 240px' },
                  columnGap: 2,
                  py: 1,
                  borderTop: `1px solid ${ink.faint}`,
                  alignItems: 'baseline',
                }}
              >
                <Typography variant="h3" component={Link} to={`/devices/${device.id}`}>
                  {device.name}
                </Typography>
                <Box
                  sx={{
                    fontFamily: MONO,
                    fontSize: '0.9rem',
                    color: ink.soft,
                    display: { xs: 'none', sm: 'block' },
                  }}
                >
                  {device.id}
                </Box>
                <PresenceMark presence={device.presence} now={now} />
              </Box>
            ))}
          {kind.devices === 0 && (
            <Typography color="text.secondary">
              No device of this kind yet; everything can be prepared before there is one.
            </Typography>
          )}
        </Section>
      ))}
      {kinds.data?.length === 0 && <Typography>No devices yet.</Typography>}
      <WhoseToken />
      <ManyDevices />
    </>
  );
}

function WhoseToken(): ReactNode {
  const [text, setText] = useState('');
  const whose = useChange('whoseToken');
  return (
    <Section title="Whose token is this?" note="Paste a device token, whole or in part.">
      <Box
        component="form"
        onSubmit={(event) => (event.preventDefault(), whose.mutate({ body: { text } }))}
        sx={{ display: 'flex', gap: 2, alignItems: 'flex-end', maxWidth: 620 }}
      >
        <TextField
          label="Token"
          value={text}
          onChange={(event) => setText(event.target.value)}
          slotProps={{ htmlInput: { style: { fontFamily: MONO } }, inputLabel: { shrink: true } }}
          autoComplete="off"
        />
        <Button type="submit" disabled={text.trim() === ''}>
          Tell
        </Button>
      </Box>
      <Notice error={whose.error} />
      {whose.data && (
        <Notice tone={whose.data.state === 'in-use' ? 'good' : 'problem'}>
          {whose.data.explanation}
          {whose.data.deviceId && (
            <>
              {' '}
              <Link to={`/devices/${whose.data.deviceId}`}>{whose.data.deviceName}</Link>
            </>
          )}
        </Notice>
      )}
    </Section>
  );
}
