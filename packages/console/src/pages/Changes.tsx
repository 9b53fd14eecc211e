import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { sheetCell, showField } from '@peatmoor/core';
import type { Change } from '@peatmoor/contract';
import { useRead } from '../api';
import { saveFile } from '../charts/saving';
import { FindField } from '../parts/FindField';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { useAddress } from '../parts/useAddress';
import { dates } from '../parts/time';
import { ink } from '../theme';

const WHATS = [
  'device',
  'kind',
  'datastream',
  'dashboard',
  'rule',
  'person',
  'grant',
  'link',
  'token',
  'key',
  'command',
  'calibration',
  'readings',
  'timetable',
  'event',
  'mute',
  'webhook',
  'claim',
  'note',
  'workspace',
] as const;
const AT_ONCE = 100;

/** Who changed what, from what to what, the newest first. */
export function Changes(): ReactNode {
  const [what, setWhat] = useAddress('what');
  const [text, setText] = useAddress('text');
  const [by, setBy] = useAddress('by');
  const [most, setMost] = useState(AT_ONCE);
  const people = useRead('listPeople').data ?? [];
  const changes = useRead('listChanges', {
    query: {
      limit: Math.min(500, most),
      ...(what !== '' && { what }),
      ...(text !== '' && { text }),
      ...(by !== '' && { by: Number(by) }),
    },
  });
  const list = changes.data ?? [];
  return (
    <>
      <Heading title="Who changed what" below="kept for 400 days, for owners">
        <Button disabled={list.length === 0} onClick={() => save(list)}>
          Save as CSV
        </Button>
      </Heading>
      <Box sx={{ display: 'grid', gap: 2, gridTemplateColumns: { sm: '200px 200px 260px' }, mb: 2 }}>
        <TextField
          select
          label="What"
          value={what}
          onChange={({ target }) => setWhat(target.value)}
          {...EMPTY}
        >
          <MenuItem value="">everything</MenuItem>
          {WHATS.map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
        <TextField select label="By" value={by} onChange={({ target }) => setBy(target.value)} {...EMPTY}>
          <MenuItem value="">anybody</MenuItem>
          {people
            .filter(({ userId }) => userId !== null)
            .map(({ userId, name }) => (
              <MenuItem key={userId} value={String(userId)}>
                {name}
              </MenuItem>
            ))}
        </TextField>
        <FindField label="Name contains" value={text} onFind={setText} />
      </Box>
      <Notice error={changes.error} />
      {changes.data?.length === 0 && <Typography color="textSecondary">Nothing was changed yet.</Typography>}
      {list.map((one) => (
        <ChangeRow key={one.id} change={one} />
      ))}
      {list.length >= most && most < 500 && (
        <Button sx={{ mt: 2 }} onClick={() => setMost(most + AT_ONCE)}>
          Show more
        </Button>
      )}
    </>
  );
}

const EMPTY = { slotProps: { select: { displayEmpty: true }, inputLabel: { shrink: true } } };

function ChangeRow({
  change: { at, who, what, act, title, target, details },
}: {
  change: Change;
}): ReactNode {
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '150px minmax(0, 1fr)' },
        columnGap: 2,
        borderTop: `1px solid ${ink.faint}`,
        py: 1,
      }}
    >
      <Typography variant="body2" color="textSecondary">
        {dates().dateTime(at)}
      </Typography>
      <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
        <b>{who}</b> {act}{' '}
        {act !== 'joined' && act !== 'left' && (
          <>
            the {what} {title || target}
          </>
        )}
        {details.map(({ field, from, to }) => (
          <Typography key={field} variant="body2" color="textSecondary">
            {field}: {from === null || from === undefined ? '' : `${showField(from, field)} → `}
            {showField(to, field)}
          </Typography>
        ))}
      </Box>
    </Box>
  );
}

function save(list: readonly Change[]): void {
  const rows = [
    ['at', 'who', 'did', 'what', 'which', 'title', 'field', 'from', 'to'],
    ...list.flatMap(({ at, who, act, what, target, title, details }) => {
      const head = [new Date(at).toISOString(), who, act, what, target, title];
      return details.length === 0
        ? [[...head, '', '', '']]
        : details.map(({ field, from, to }) => [
            ...head,
            field,
            JSON.stringify(from ?? null),
            JSON.stringify(to ?? null),
          ]);
    }),
  ];
  saveFile(
    'changes.csv',
    rows.map((row) => row.map((cell) => sheetCell(cell)).join(',')).join('\r\n'),
    'text/csv',
  );
}
