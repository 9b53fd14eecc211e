import { Box, Link, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import type { Granted } from '@peatmoor/contract';
import { useGoOn } from '../account/goOn';
import { useRead } from '../api';
import { PresenceMark } from '../parts/marks';
import { useDisplay } from '../parts/useDisplay';
import { ink, MONO } from '../theme';

const EVERY_MS = 30_000;

/** What other workspaces granted, below one's own: marked, with its newest values; a press goes on there. */
export function GrantedElsewhere({ now }: { now: number }): ReactNode {
  const granted = useRead('listGranted', undefined, true, EVERY_MS).data ?? [];
  const { choose, busy } = useGoOn();
  if (granted.length === 0) return null;
  return (
    <Box component="section" aria-label="Granted to you elsewhere" sx={{ mt: 5 }}>
      <Typography variant="h2">Granted to you elsewhere</Typography>
      {granted.map(({ workspace, devices, dashboards, more }) => (
        <Box key={workspace.id} sx={{ mt: 2, borderBottom: `1px solid ${ink.line}` }}>
          <Typography sx={{ color: ink.soft, pb: 0.5 }}>by {workspace.title}</Typography>
          {devices.map((device) => (
            <GrantedDevice
              key={device.id}
              device={device}
              now={now}
              busy={busy}
              onOpen={() => choose(workspace.id, `/devices/${device.id}`)}
            />
          ))}
          {dashboards.map(({ id, title }) => (
            <Box key={id} sx={ROW}>
              <Opening name={title} busy={busy} onOpen={() => choose(workspace.id, `/dashboards/${id}`)} />
              <Box sx={{ color: ink.soft, fontSize: '0.9rem' }}>dashboard</Box>
            </Box>
          ))}
          {devices.length + dashboards.length === 0 && (
            <Typography sx={{ py: 1 }}>Nothing of it is there any more.</Typography>
          )}
          {more && (
            <Typography sx={{ py: 1 }} color="textSecondary">
              There is more of it: open the workspace to see it all.
            </Typography>
          )}
        </Box>
      ))}
    </Box>
  );
}

const ROW = {
  display: 'grid',
  gridTemplateColumns: { xs: '1fr auto', md: 'minmax(170px, 230px) 150px 1fr' },
  columnGap: 3,
  rowGap: 0.5,
  alignItems: 'center',
  borderTop: `1px solid ${ink.line}`,
  py: 1,
};

function Opening({ name, busy, onOpen }: { name: string; busy: boolean; onOpen: () => void }): ReactNode {
  return (
    <Link
      component="button"
      disabled={busy}
      onClick={onOpen}
      sx={{ font: 'inherit', fontWeight: 700, textAlign: 'left', minHeight: 32, color: ink.ink }}
    >
      {name}
    </Link>
  );
}

function GrantedDevice({
  device: { name, presence, values },
  now,
  busy,
  onOpen,
}: {
  device: Granted['devices'][number];
  now: number;
  busy: boolean;
  onOpen: () => void;
}): ReactNode {
  const display = useDisplay();
  return (
    <Box sx={ROW}>
      <Opening name={name} busy={busy} onOpen={onOpen} />
      <Box>
        <PresenceMark presence={presence} now={now} />
      </Box>
      <Box sx={{ gridColumn: { xs: '1 / -1', md: 'auto' }, display: 'flex', flexWrap: 'wrap', columnGap: 3 }}>
        {values.map(({ stream, value }) => (
          <Box component="span" key={stream.key} sx={{ color: ink.soft, fontSize: '0.95rem' }}>
            {stream.title}{' '}
            <Box component="span" sx={{ fontFamily: MONO, color: ink.ink }}>
              {display(stream).reading(value)}
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
}
