import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { counted, nodeState } from '@peatmoor/core';
import { useRead } from '../api';
import { Section } from '../parts/Heading';
import { ink } from '../theme';

/** The services on one database, where there are several. */
export function Nodes(): ReactNode {
  const nodes = useRead('listNodes', undefined, true, 10_000).data ?? [];
  if (nodes.length < 2) return null;
  return (
    <Section title="Nodes" note="Services that work on one database.">
      <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0 }}>
        {nodes.map((one) => (
          <Box
            component="li"
            key={one.id}
            sx={{
              display: 'grid',
              gridTemplateColumns: { xs: '1fr', sm: '16rem 8rem 1fr' },
              columnGap: 2,
              py: 1,
              borderTop: `1px solid ${ink.line}`,
              overflowWrap: 'anywhere',
            }}
          >
            <Box>
              <Typography sx={{ fontWeight: 600 }}>{one.name}</Typography>
              <Typography variant="body2" color="textSecondary">
                {one.address}
              </Typography>
            </Box>
            <Typography>{nodeState(one)}</Typography>
            <Typography>
              {`${counted(one.sessions, 'board')}, ${counted(one.pages, 'page')}, ${Math.round(one.memory / 1e6)} MB, version ${one.version}`}
              {one.does.length > 0 && `; does ${one.does.join(', ')}`}
            </Typography>
          </Box>
        ))}
      </Box>
    </Section>
  );
}
