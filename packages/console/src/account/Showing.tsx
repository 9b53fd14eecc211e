import { Autocomplete, Box, MenuItem, TextField, Typography } from '@mui/material';
import { useColorScheme } from '@mui/material/styles';
import { useMemo, type ReactNode } from 'react';
import { LANGUAGES, languageName, zoneHere, type UnitSystem } from '@peatmoor/core';
import type { Me } from '@peatmoor/contract';
import { useChange } from '../api';
import { useNow } from '../live';
import { Notice } from '../parts/Notice';
import { dates } from '../parts/time';
import { zones } from '../parts/zones';
import { ink, MONO } from '../theme';

/** How this page looks to whoever is signed in: colours, units, and how dates and numbers are written. */
export function Showing({ me }: { me: Me }): ReactNode {
  const change = useChange('changeMe', ['me']);
  const { mode = 'system', setMode } = useColorScheme();
  const names = useMemo(() => new Map<string, string>(LANGUAGES.map((one) => [one, languageName(one)])), []);
  const now = useNow(1000);
  return (
    <>
      <Box
        sx={{
          display: 'grid',
          gap: 3,
          gridTemplateColumns: { sm: '260px 260px', lg: 'repeat(4, minmax(0, 260px))' },
        }}
      >
        <TextField
          select
          label="Colours"
          value={mode}
          onChange={({ target }) => setMode(target.value as 'light')}
        >
          <MenuItem value="system">as the device has it</MenuItem>
          <MenuItem value="light">day</MenuItem>
          <MenuItem value="dark">night</MenuItem>
        </TextField>
        <TextField
          select
          label="Units"
          value={me.user.units}
          onChange={({ target }) => change.mutate({ body: { units: target.value as UnitSystem } })}
          helperText="How values are shown to you. They are stored as the kind says."
        >
          <MenuItem value="metric">as they are stored: °C, mm</MenuItem>
          <MenuItem value="imperial">°F, inches, miles</MenuItem>
        </TextField>
        <Autocomplete
          options={LANGUAGES}
          value={me.user.language}
          getOptionLabel={(language) => names.get(language) ?? language}
          onChange={(_event, language) => change.mutate({ body: { language } })}
          disableClearable
          renderInput={(params) => (
            <TextField
              {...params}
              label="Dates and numbers"
              helperText="The words of this page are English."
            />
          )}
        />
        <Autocomplete
          options={['', ...zones()]}
          value={me.user.zone}
          getOptionLabel={(zone) => (zone === '' ? `as the device has it: ${zoneHere()}` : zone)}
          onChange={(_event, zone) => change.mutate({ body: { zone } })}
          disableClearable
          renderInput={(params) => (
            <TextField
              {...params}
              label="Times are told by"
              helperText="Timetables and alerts go by the workspace’s."
            />
          )}
        />
      </Box>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>
        So it is shown to you:{' '}
        <Box component="span" data-sample sx={{ fontFamily: MONO, color: ink.ink }}>
          {dates().exact(now)} · {dates().number(SAMPLE)}
        </Box>
      </Typography>
      <Notice error={change.error} />
    </>
  );
}

/** A number with a part, long enough for groups of digits. */
const SAMPLE = 48_213.75;
