import { Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { nodeState } from '@peatmoor/core';
import { useRead } from '../api';
import { Section } from '../parts/Heading';

/** The services on one database, where there are several. */
export function Nodes(): ReactNode {
  const nodes = useRead('listNodes', undefined, true, 10_000).data ?? [];
  if (nodes.length < 2) return null;
  return (
    <Section title="Nodes" note="Services that work on one database.">
      <Table size="small">
        <TableHead>
          <TableRow>
            {['Node', 'State', 'Version', 'Boards', 'Pages', 'Memory', 'Does'].map((name) => (
              <TableCell key={name}>{name}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {nodes.map((one) => (
            <TableRow key={one.id}>
              <TableCell>
                {one.name}
                <Typography variant="body2" color="text.secondary">
                  {one.address}
                </Typography>
              </TableCell>
              <TableCell>{nodeState(one)}</TableCell>
              <TableCell>{one.version}</TableCell>
              <TableCell>{one.sessions}</TableCell>
              <TableCell>{one.pages}</TableCell>
              <TableCell>{Math.round(one.memory / 1e6)} MB</TableCell>
              <TableCell>{one.does.join(', ') || '–'}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Section>
  );
}
