import { Box, Button, TextField, Typography } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { counted } from '@peatmoor/core';
import type { Claim, Kind } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { Copyable } from '../parts/Copyable';
import { Section } from '../parts/Heading';
import { later } from '../parts/later';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';
import { serviceNow } from '../live/clock';

const ClaimStarter = later(() => import('./ClaimStarter'), 'ClaimStarter');

/** One program for many boards: secrets with which each fetches a device and token of its own. */
export function ClaimSecrets({ kind }: { kind: Kind }): ReactNode {
  const params = { kind: kind.id };
  const claims = useRead('listClaims', { params });
  const me = useRead('me').data;
  const create = useChange('createClaim', ['listClaims']);
  const [most, setMost] = useState('100');
  const [days, setDays] = useState('30');
  return (
    <Section
      title="One program for many boards"
      note="Each board claims its own device and token at first contact, with its serial."
    >
      {claims.data?.map((claim) => (
        <ClaimRow key={claim.id} claim={claim} kindId={kind.id} />
      ))}
      <Notice error={claims.error ?? create.error} beside={['most', 'days']} />
      {create.data && me && (
        <Box sx={{ my: 2 }}>
          <Copyable label="The claim secret, shown only now" text={create.data.secret} />
          <Suspense>
            <ClaimStarter kind={kind} address={me.address} secret={create.data.secret} />
          </Suspense>
        </Box>
      )}
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mt: 1 }}>
        <TextField
          label="Maximum boards"
          {...troubleOf(create.error)('most')}
          type="number"
          value={most}
          onChange={({ target }) => setMost(target.value)}
          sx={{ width: 150 }}
        />
        <TextField
          label="For … days"
          {...troubleOf(create.error)('days')}
          type="number"
          value={days}
          onChange={({ target }) => setDays(target.value)}
          sx={{ width: 120 }}
        />
        <Button
          disabled={create.isPending}
          onClick={() => create.mutate({ params, body: { most: Number(most), days: Number(days) } })}
        >
          Make a claim secret
        </Button>
      </Box>
    </Section>
  );
}

function ClaimRow({ claim, kindId }: { claim: Claim; kindId: number }): ReactNode {
  const end = useChange('endClaim', ['listClaims']);
  const reopen = useChange('reopenClaim', ['listClaims']);
  const ask = useAsk();
  const params = { kind: kindId, claim: claim.id };
  const over = claim.endedAt !== null || claim.endsAt < serviceNow();
  const { date } = dates();
  return (
    <Box data-claim={claim.id} sx={{ borderTop: `1px solid ${ink.faint}`, py: 1 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center', minHeight: 40 }}>
        <Box sx={{ fontFamily: MONO }}>claim_moor{claim.fingerprint}…</Box>
        <Typography color="textSecondary" sx={{ flex: 1 }}>
          Claimed by {claim.used} of {counted(claim.most, 'board')};{' '}
          {claim.endedAt !== null
            ? `ended ${date(claim.endedAt)}`
            : `${over ? 'expired' : 'valid until'} ${date(claim.endsAt)}`}
        </Typography>
        {!over && (
          <Button
            size="small"
            onClick={() =>
              void ask({
                title: 'End this claim secret?',
                text: 'Boards that carry it claim no more. Those that have claimed go on.',
                action: 'End it',
              }).then((yes) => yes && end.mutate({ params }))
            }
          >
            End it
          </Button>
        )}
      </Box>
      {claim.devices.map((device) => (
        <Box
          key={device.id}
          sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, pl: 2, alignItems: 'baseline' }}
        >
          <Link to={`/devices/${device.id}`}>{device.name}</Link>
          <span style={{ fontFamily: MONO, fontSize: '0.9rem', color: ink.soft }}>{device.serial}</span>
          {!over && (
            <Button
              variant="text"
              size="small"
              onClick={() => reopen.mutate({ params, body: { device: device.id } })}
            >
              Let it claim again
            </Button>
          )}
        </Box>
      ))}
      <Notice error={end.error ?? reopen.error} />
      {reopen.isSuccess && (
        <Notice tone="good">Its board may claim once more; its tokens end when it does.</Notice>
      )}
    </Box>
  );
}
