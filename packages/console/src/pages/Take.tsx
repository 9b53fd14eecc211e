import { Box, Button, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode } from 'react';
import { Link } from 'react-router';
import { counted } from '@peatmoor/core';
import type { Offered } from '@peatmoor/contract';
import { api, useChange, useRead } from '../api';
import { Copyable } from '../parts/Copyable';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';

/** Takes a device that another workspace offers: what it is, and into which workspace it comes. */
export function Take(): ReactNode {
  const secret = location.hash.slice(1);
  const me = useRead('me').data;
  const look = useQuery<Offered, Error>({
    queryKey: ['readOffer', secret],
    queryFn: () => api.call('readOffer', { body: { secret } }),
    retry: false,
  });
  const take = useChange('takeDevice', ['listDevices', 'listKinds']);
  const offered = look.data;
  if (take.data !== undefined)
    return (
      <>
        <Heading title="The device is here" below={me?.workspace.title} />
        {take.data.token !== null && (
          <Copyable
            label="Its new token, shown only now"
            text={take.data.token}
            file={`${take.data.deviceId}-token.txt`}
          />
        )}
        <Link to={`/devices/${encodeURIComponent(take.data.deviceId)}`}>To the device</Link>
      </>
    );
  return (
    <>
      <Heading title={offered === undefined ? 'A device is offered' : `Take “${offered.name}”?`} />
      <Notice error={look.error} />
      {offered && (
        <Box sx={{ maxWidth: 640 }}>
          <Typography sx={{ mb: 1 }}>
            {offered.madeBy} of {offered.from} offers the device {offered.deviceId}, a {offered.kind}, with{' '}
            {counted(offered.readings, 'reading')}.
          </Typography>
          <Typography sx={{ mb: 3 }}>
            It comes to <b>{me?.workspace.title}</b>.{' '}
            {offered.keepsTokens
              ? 'The board goes on with the token it has.'
              : 'Its tokens end, and a new one is made.'}{' '}
            For another workspace, change to it at the end of the top line first.
          </Typography>
          <Button
            variant="contained"
            disabled={take.isPending}
            onClick={() => take.mutate({ body: { secret } })}
          >
            Take it
          </Button>
          <Notice error={take.error} />
        </Box>
      )}
    </>
  );
}
