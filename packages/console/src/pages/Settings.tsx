import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useColorScheme } from '@mui/material/styles';
import { useState, type ReactNode } from 'react';
import type { UnitSystem } from '@peatmoor/core';
import { KEY_SCOPES, type KeyScope } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { Copyable } from '../parts/Copyable';
import { Heading, Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { ink, MONO } from '../theme';

/** Your account, day or night, access keys, sign out. */
export function Settings(): ReactNode {
  const me = useRead('me').data;
  const signOut = useChange('signOut');
  const change = useChange('changeMe', ['me']);
  const { mode = 'system', setMode } = useColorScheme();
  if (me === undefined) return null;
  return (
    <>
      <Heading
        title="Settings"
        below={`${me.user.name}, ${me.user.email}, ${me.role} of ${me.workspace.title}`}
      >
        <Button onClick={() => signOut.mutate({}, { onSuccess: () => location.assign('/') })}>
          Sign out
        </Button>
      </Heading>
      <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '260px 260px' } }}>
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
      </Box>
      <Notice error={change.error} />
      <Section title="How boards reach this service">
        <Copyable label="HTTP" text={me.address.httpUrl} />
        <Copyable label="MQTT" text={`${me.address.host} port ${me.address.mqttPort}`} />
      </Section>
      <AccessKeys />
    </>
  );
}

const SCOPE_WORDS: Record<KeyScope, string> = {
  everything: 'all that you may',
  read: 'look at everything',
  'read-device': 'look at one device',
  'report-device': 'report for one device',
};

function AccessKeys(): ReactNode {
  const keys = useRead('listKeys');
  const create = useChange('createKey', ['listKeys']);
  const remove = useChange('deleteKey', ['listKeys']);
  const ask = useAsk();
  const [title, setTitle] = useState('');
  const [scope, setScope] = useState<KeyScope>('everything');
  const [deviceId, setDeviceId] = useState('');
  const devices = useRead('listDevices').data ?? [];
  const ofOne = scope.endsWith('-device');
  return (
    <Section title="Access keys" note="For programs and the command line.">
      {keys.data?.map((key) => (
        <Box
          key={key.id}
          sx={{
            display: 'grid',
            gridTemplateColumns: '1fr auto',
            columnGap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 1,
          }}
        >
          <Box sx={{ minWidth: 0 }}>
            <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, alignItems: 'baseline' }}>
              <Box component="span" sx={{ fontWeight: 600 }}>
                {key.title}
              </Box>
              <Box component="span" sx={{ fontFamily: MONO, fontSize: '0.85em' }}>
                key_moor{key.fingerprint}…
              </Box>
            </Box>
            <Typography color="text.secondary" variant="body2">
              {[
                `${SCOPE_WORDS[key.scope]}${key.deviceId === null ? '' : ` ${key.deviceId}`}`,
                `made ${new Date(key.createdAt).toLocaleDateString('en-GB')}`,
                key.endsAt !== null && `ends ${new Date(key.endsAt).toLocaleDateString('en-GB')}`,
                key.usedAt !== null && `last used ${new Date(key.usedAt).toLocaleString('en-GB')}`,
              ]
                .filter(Boolean)
                .join(', ')}
            </Typography>
          </Box>
          <Button
            size="small"
            onClick={() =>
              void ask({
                title: `End the key ${key.title}?`,
                text: 'Whatever uses it is refused from now on: a program, a sheet, the command line.',
                action: 'End it',
              }).then((yes) => yes && remove.mutate({ params: { key: key.id } }))
            }
          >
            End it
          </Button>
        </Box>
      ))}
      <Notice error={keys.error ?? create.error ?? remove.error} beside={['title', 'deviceId']} />
      {create.data && <Copyable label="The new key, shown only now" text={create.data.secret} />}
      <Box
        component="form"
        onSubmit={(event) => (
          event.preventDefault(),
          create.mutate(
            { body: { title, scope, deviceId: ofOne ? deviceId : null } },
            { onSuccess: () => setTitle('') },
          )
        )}
        sx={{
          display: 'flex',
          gap: 2,
          flexWrap: { xs: 'wrap', sm: 'nowrap' },
          alignItems: 'flex-end',
          mt: 2,
          maxWidth: 860,
        }}
      >
        <TextField
          label="A new key for"
          {...troubleOf(create.error)('title')}
          placeholder="spreadsheet at the hut"
          value={title}
          onChange={({ target }) => setTitle(target.value)}
        />
        <TextField
          select
          label="It may"
          value={scope}
          onChange={({ target }) => setScope(target.value as KeyScope)}
        >
          {KEY_SCOPES.map((one) => (
            <MenuItem key={one} value={one}>
              {SCOPE_WORDS[one]}
            </MenuItem>
          ))}
        </TextField>
        {ofOne && (
          <TextField
            select
            label="Device"
            {...troubleOf(create.error)('deviceId')}
            value={deviceId}
            onChange={({ target }) => setDeviceId(target.value)}
          >
            {devices.map(({ id, name }) => (
              <MenuItem key={id} value={id}>
                {name}
              </MenuItem>
            ))}
          </TextField>
        )}
        <Button
          type="submit"
          disabled={create.isPending || title.trim() === '' || (ofOne && deviceId === '')}
        >
          Make it
        </Button>
      </Box>
    </Section>
  );
}
