import { Box, Button } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { aloneSentence, counted, followSentence, partOf, runSentence, showUnit } from '@peatmoor/core';
import type { Stream } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { ink, MONO } from '../theme';
import { OverHistory } from './OverHistory';

/** A datastream of a kind: what it is, and what can be done with it. */
export function StreamRow({
  stream,
  streams,
  kindId,
  onOpen,
}: {
  stream: Stream;
  /** All of its kind. */
  streams: readonly Stream[];
  kindId: number;
  onOpen: () => void;
}): ReactNode {
  const remove = useChange('deleteStream', ['readKind', 'listKinds']);
  const [asked, setAsked] = useState(false);
  const effect = useRead('streamEffect', { params: { kind: kindId, stream: stream.key } }, asked).data;
  const range =
    stream.min === null && stream.max === null ? '' : `${stream.min ?? '…'} to ${stream.max ?? '…'}`;
  const kept = [
    ...(stream.asks ? ['Asks before it is sent'] : []),
    ...(stream.runAtMost === null ? [] : [`Runs: ${runSentence(stream, stream.runAtMost)}`]),
    ...(stream.withoutLink === null ? [] : [`Without a link: ${aloneSentence(stream, stream.withoutLink)}`]),
  ];
  return (
    <Box
      data-key={stream.key}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr auto', md: '1.4fr 1.2fr 0.8fr 1.2fr 1fr 1fr auto' },
        columnGap: 2,
        borderTop: `1px solid ${ink.faint}`,
        py: 1,
        alignItems: 'center',
      }}
    >
      <Box sx={{ fontWeight: 600 }}>
        {stream.title}
        {stream.unconfirmed && (
          <Box component="span" sx={{ color: ink.heather, fontWeight: 400, ml: 1 }}>
            new
          </Box>
        )}
      </Box>
      <Box
        sx={{
          fontFamily: MONO,
          fontSize: '0.9rem',
          gridRow: { xs: 2, md: 'auto' },
          gridColumn: { xs: 1, md: 'auto' },
        }}
      >
        {stream.key}
        {stream.aliases.length > 0 && (
          <Box sx={{ color: ink.soft, fontSize: '0.8rem' }}>also {stream.aliases.join(', ')}</Box>
        )}
      </Box>
      <Box sx={{ display: { xs: 'none', md: 'block' } }}>{stream.type}</Box>
      <Box sx={{ color: ink.soft, gridRow: { xs: 3, md: 'auto' }, gridColumn: { xs: 1, md: 'auto' } }}>
        {stream.type === 'choice'
          ? stream.choices.join(', ')
          : [range, showUnit(stream.unit)].filter(Boolean).join(' ')}
      </Box>
      <Box sx={{ display: { xs: 'none', md: 'block' }, overflowWrap: 'anywhere' }}>
        {stream.computation === null ? stream.direction : 'computed'}
      </Box>
      <Box sx={{ color: ink.soft, display: { xs: 'none', md: 'block' } }}>
        {stream.pin === null ? '' : `virtual pin ${stream.pin}`}
      </Box>
      <Box
        sx={{ display: 'flex', gap: 1.5, gridRow: { xs: 1, md: 'auto' }, gridColumn: { xs: 2, md: 'auto' } }}
      >
        <Button variant="text" onClick={onOpen}>
          {stream.unconfirmed ? 'Confirm' : 'Change'}
        </Button>
        <Button variant="text" onClick={() => setAsked(true)}>
          Delete
        </Button>
      </Box>
      {stream.computation !== null && (
        <Box sx={{ gridColumn: '1 / -1' }}>
          <OverHistory kindId={kindId} stream={stream} />
        </Box>
      )}
      {stream.follow !== null && (
        <Box sx={{ gridColumn: '1 / -1', color: ink.soft, fontSize: '0.9rem' }}>
          {followSentence(stream.follow, streams)}
        </Box>
      )}
      {kept.length > 0 && (
        <Box sx={{ gridColumn: '1 / -1', color: ink.soft, fontSize: '0.9rem' }}>{kept.join('. ')}.</Box>
      )}
      {stream.part !== null && (
        <Box sx={{ gridColumn: '1 / -1', color: ink.soft, fontSize: '0.9rem' }}>
          {[partOf(stream.part)?.title, stream.boardPin].filter(Boolean).join(' on ')}
        </Box>
      )}
      {(asked || remove.error) && (
        <Box sx={{ gridColumn: '1 / -1' }}>
          <Notice
            error={remove.error}
            action={{
              label: 'Delete it',
              onClick: () => remove.mutate({ params: { kind: kindId, stream: stream.key } }),
            }}
          >
            Delete “{stream.title}”
            {effect === undefined
              ? ' with its readings'
              : effect.readings === 0
                ? '? It has no readings.'
                : ` with ${counted(effect.readings, 'reading')} on ${counted(effect.devices, 'device')}?`}{' '}
            This cannot be undone.
          </Notice>
        </Box>
      )}
    </Box>
  );
}
