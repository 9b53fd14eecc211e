import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { STARTERS, wiringOf, type StarterFile, type StarterPlan, type StarterSort } from '@peatmoor/core';
import { Copyable, downloadText } from '../parts/Copyable';
import { Wiring } from '../kinds/Wiring';
import { InstallOnBoard } from './InstallOnBoard';
import { ink, MONO } from '../theme';

/** The tool chain is named with its version, so that it builds the same next year. */
const CPP_LINES = `pip install platformio==6.1.18
pio run --target upload
pio device monitor --baud 115200`;
const NO_NETWORK = { name: '', password: '', user: '', pin: '' };

/** A complete starter project: its files to look at, copy and download. Names of networks stay in this browser. */
export function StarterProject({
  plan,
  sorts,
  first,
}: {
  plan: StarterPlan;
  sorts: readonly StarterSort[];
  first: StarterSort;
}): ReactNode {
  const [sort, setSort] = useState<StarterSort>(sorts.includes(first) ? first : sorts[0]!);
  const [network, setNetwork] = useState(NO_NETWORK);
  const [path, setPath] = useState('');
  const cellular = sort === 'cpp-cellular';
  const wireless = cellular || sort === 'cpp' || sort === 'cpp-http' || sort === 'micropython';
  const make = (token: string | null): StarterFile[] =>
    STARTERS[sort].make({
      ...plan,
      token,
      wifi: { name: network.name, password: network.password },
      cellular: network,
    });
  const files = make(plan.token);
  const file = files.find((one) => one.path === path) ?? files[0]!;
  const wired = wiringOf(plan.streams);
  const field = (name: keyof typeof NO_NETWORK, label: string) => (
    <TextField
      label={label}
      value={network[name]}
      onChange={({ target }) => setNetwork({ ...network, [name]: target.value })}
      autoComplete="off"
      sx={{ width: 190 }}
    />
  );
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 3, mt: 3, alignItems: 'flex-end' }}>
        <TextField
          select
          label="Starter program"
          value={sort}
          onChange={({ target }) => setSort(target.value as StarterSort)}
          sx={{ maxWidth: 340 }}
        >
          {sorts.map((one) => (
            <MenuItem key={one} value={one}>
              {STARTERS[one].title}
            </MenuItem>
          ))}
        </TextField>
        {wireless && field('name', cellular ? 'Access point name (APN)' : 'Your Wi-Fi')}
        {cellular && field('user', 'Its user, often empty')}
        {wireless && field('password', cellular ? 'Its password, often empty' : 'Its password')}
        {cellular && field('pin', 'PIN of the card')}
      </Box>
      {wireless && (
        <Box sx={{ color: ink.soft, fontSize: '0.85rem', mt: 0.5 }}>
          Written into the settings file in this browser; never sent to the service.
        </Box>
      )}
      <Box sx={{ display: 'flex', gap: 2, flexWrap: 'wrap', mt: 1 }}>
        {files.map((one) => (
          <Button
            key={one.path}
            variant="text"
            onClick={() => setPath(one.path)}
            sx={{
              fontFamily: MONO,
              fontWeight: one === file ? 700 : 400,
              color: one === file ? ink.heather : 'inherit',
            }}
          >
            {one.path}
          </Button>
        ))}
        <Button onClick={() => files.forEach((one) => downloadText(one.path.replace(/^.*\//, ''), one.text))}>
          {files.length === 1 ? 'Download the file' : `Download all ${files.length} files`}
        </Button>
      </Box>
      <Copyable text={file.text} file={file.path.replace(/^.*\//, '')} />
      {sort === 'micropython' && plan.deviceId !== '' && (
        <InstallOnBoard make={make} device={plan.deviceId} token={plan.token} />
      )}
      {(sort === 'cpp' || sort === 'cpp-http' || cellular) && (
        <Copyable
          label="In the folder of the project: the tool chain, the program onto a plugged-in board, and what it prints."
          text={CPP_LINES}
        />
      )}
      {wired.length > 0 && <Wiring wired={wired} />}
    </>
  );
}
