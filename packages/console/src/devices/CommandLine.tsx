import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { bandWords, isUnderWay, type Datastream } from '@peatmoor/core';
import type { Command } from '@peatmoor/contract';
import { CommandMark } from '../parts/marks';
import { useDisplay } from '../parts/useDisplay';
import { dates } from '../parts/time';
import { ink } from '../theme';

/** How far a command has come, and what it still waits for. */
export function CommandLine({
  command,
  measured,
}: {
  command: Command;
  /** The datastream that must follow it; undefined for none. */
  measured: Datastream | undefined;
}): ReactNode {
  const displayOf = useDisplay();
  const { state, note, follow } = command;
  const waits = measured !== undefined && follow !== null && isUnderWay(state, true) && state !== 'waiting';
  const { convert, unit } = measured === undefined ? { convert: Number, unit: '' } : displayOf(measured);
  return (
    <Box component="span">
      <CommandMark state={state} note={note} />
      {waits && (
        <Box component="span" sx={{ color: ink.soft, fontSize: '0.9rem' }}>
          {' · '}
          {measured.title} to come to{' '}
          {unit === ''
            ? bandWords(follow, measured)
            : [follow.min, follow.max]
                .filter((one) => one !== null)
                .map((one) => dates().number(Number(convert(one).toPrecision(6))))
                .join(' to ')}{' '}
          {unit}
        </Box>
      )}
    </Box>
  );
}
