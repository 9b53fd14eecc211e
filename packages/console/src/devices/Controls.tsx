import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { isControllable, isScalar, showValue, type Datastream } from '@peatmoor/core';
import type { Command, Device, Kind } from '@peatmoor/contract';
import { useRead } from '../api';
import { useNewest } from '../live';
import { CommandMark, PressMark } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { OnOff } from '../parts/OnOff';
import { useDisplay } from '../parts/useDisplay';
import { ink } from '../theme';
import { usePress } from './usePress';
import { wantedValue } from './wanted';

/** The controls of a device: what is wanted, and whether the board applied it. */
export function Controls({ device, kind }: { device: Device; kind: Kind }): ReactNode {
  const commands = useRead('listCommands', { params: { device: device.id } }).data;
  const streams = kind.streams.filter(isControllable);
  if (streams.length === 0)
    return (
      <Typography color="text.secondary">
        This kind has no controls. Add a datastream with the direction “people control it”.
      </Typography>
    );
  return streams.map((stream) => (
    <ControlRow
      key={stream.key}
      device={device.id}
      stream={stream}
      command={commands?.find((one) => one.stream === stream.key)}
    />
  ));
}

function ControlRow({
  device,
  stream,
  command,
}: {
  device: string;
  stream: Datastream;
  command: Command | undefined;
}): ReactNode {
  const { press: send, state, error } = usePress(device, stream.key);
  const newest = useNewest(device, stream.key);
  const display = useDisplay()(stream);
  const [text, setText] = useState('');
  const value = wantedValue(command, newest?.value);
  return (
    <Box
      sx={{
        display: 'flex',
        flexWrap: 'wrap',
        alignItems: 'center',
        gap: 2,
        borderTop: `1px solid ${ink.faint}`,
        py: 1,
      }}
    >
      <Box sx={{ flex: '1 1 180px', fontWeight: 600 }}>{stream.title}</Box>
      {stream.type === 'boolean' ? (
        <OnOff
          on={value === undefined ? undefined : value === 1}
          label={stream.title}
          disabled={state !== 'still'}
          onPress={send}
        />
      ) : stream.type === 'choice' ? (
        <TextField
          select
          value={value === undefined ? '' : showValue(stream, value)}
          onChange={({ target }) => send(target.value)}
          sx={{ width: 180 }}
          slotProps={{ htmlInput: { 'aria-label': stream.title }, select: { displayEmpty: true } }}
        >
          {stream.choices.map((choice) => (
            <MenuItem key={choice} value={choice}>
              {choice}
            </MenuItem>
          ))}
        </TextField>
      ) : (
        <Box
          component="form"
          onSubmit={(event) => (
            event.preventDefault(),
            text !== '' && send(isScalar(stream) ? display.wanted(Number(text)) : text)
          )}
          sx={{ display: 'flex', gap: 1, alignItems: 'baseline' }}
        >
          <TextField
            type={isScalar(stream) ? 'number' : stream.type === 'colour' ? 'color' : 'text'}
            placeholder={value === undefined ? '' : display.value(value)}
            value={text}
            onChange={({ target }) => setText(target.value)}
            sx={{ width: isScalar(stream) ? 90 : 200 }}
            slotProps={{ htmlInput: { 'aria-label': stream.title, step: 'any' } }}
          />
          {display.unit}
          <Button type="submit" size="small">
            Set
          </Button>
        </Box>
      )}
      <Box sx={{ flex: '2 1 220px', color: ink.soft }}>
        {state !== 'still' && <PressMark state={state} />}
        {state === 'still' && command && (
          <>
            <CommandMark state={command.state} note={command.note} /> {display.reading(command.value)}, by{' '}
            {command.by}
          </>
        )}
      </Box>
      <Notice error={error} />
    </Box>
  );
}
