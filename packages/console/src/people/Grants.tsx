import { Autocomplete, Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import type { Grant, Person } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';

/** What is granted to one person beyond their role, and granting more. */
export function Grants({ person, grants }: { person: Person; grants: readonly Grant[] }): ReactNode {
  const remove = useChange('deleteGrant', ['listGrants']);
  const [adding, setAdding] = useState(false);
  return (
    <Box sx={{ pl: { sm: 2 }, gridColumn: '1 / -1' }}>
      {grants.map(({ id, role, sort, title }) => (
        <Box key={id} sx={{ display: 'flex', gap: 1.5, alignItems: 'baseline', flexWrap: 'wrap' }}>
          <Typography variant="body2">
            may {role === 'operator' ? 'look at and steer' : 'look at'}{' '}
            {sort === 'label'
              ? 'devices labelled '
              : sort === 'dashboard'
                ? 'what the dashboard shows: '
                : ''}
            <b>{title}</b>
          </Typography>
          <Button
            size="small"
            variant="text"
            disabled={remove.isPending}
            onClick={() => remove.mutate({ params: { grant: id } })}
          >
            Take back
          </Button>
        </Box>
      ))}
      <Notice error={remove.error} />
      {adding ? (
        <NewGrant person={person} onDone={() => setAdding(false)} />
      ) : (
        <Button size="small" variant="text" onClick={() => setAdding(true)}>
          Grant {person.name} something
        </Button>
      )}
    </Box>
  );
}

interface Target {
  sort: Grant['sort'];
  target: string;
  title: string;
}
const GROUPS = { device: 'Devices', label: 'Labels', dashboard: 'Dashboards' } as const;

function NewGrant({ person, onDone }: { person: Person; onDone: () => void }): ReactNode {
  const devices = useRead('listDevices').data ?? [];
  const dashboards = useRead('listDashboards').data ?? [];
  const make = useChange('createGrant', ['listGrants']);
  const [target, setTarget] = useState<Target | null>(null);
  const [role, setRole] = useState<Grant['role']>('viewer');
  const labels = [...new Set(devices.flatMap((one) => one.labels))].sort();
  const all: Target[] = [
    ...devices.map(({ id, name }): Target => ({ sort: 'device', target: id, title: name })),
    ...labels.map((label): Target => ({ sort: 'label', target: label, title: label })),
    ...dashboards.map(({ id, title }): Target => ({ sort: 'dashboard', target: String(id), title })),
  ];
  return (
    <Box
      component="form"
      onSubmit={(event) => {
        event.preventDefault();
        if (target === null || person.userId === null) return;
        const { sort, target: which } = target;
        make.mutate({ body: { userId: person.userId, role, sort, target: which } }, { onSuccess: onDone });
      }}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '260px 220px auto auto' },
        gap: 2,
        alignItems: 'end',
        my: 1,
        justifyContent: 'start',
      }}
    >
      <Autocomplete
        options={all}
        groupBy={({ sort }) => GROUPS[sort]}
        getOptionLabel={({ title }) => title}
        getOptionKey={({ sort, target: which }) => `${sort} ${which}`}
        value={target}
        onChange={(_event, next) => setTarget(next)}
        renderInput={(params) => (
          <TextField {...params} label="Device, label or dashboard" {...troubleOf(make.error)('target')} />
        )}
      />
      <TextField
        select
        label="May"
        value={role}
        onChange={({ target: field }) => setRole(field.value as 'viewer')}
      >
        <MenuItem value="viewer">look at it</MenuItem>
        <MenuItem value="operator">look at and steer it</MenuItem>
      </TextField>
      <Button type="submit" disabled={target === null || make.isPending}>
        Grant it
      </Button>
      <Button onClick={onDone}>Cancel</Button>
      <Notice error={make.error} beside={['target']} />
    </Box>
  );
}
