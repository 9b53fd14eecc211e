import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { mayDo, ROLES, type Role } from '@peatmoor/core';
import type { Person } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Copyable } from '../parts/Copyable';
import { Heading, Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { ink } from '../theme';

const ROLE_WORDS: Record<Role, string> = {
  none: 'none: only what is granted',
  viewer: 'viewer: looks',
  operator: 'operator: looks and steers',
  editor: 'editor: changes',
  owner: 'owner: people too',
};

/** Who belongs to the workspace, and what each may do. */
export function People(): ReactNode {
  const me = useRead('me').data;
  const people = useRead('listPeople');
  if (me === undefined) return null;
  const mayChange = mayDo(me.role, 'people');
  return (
    <>
      <Heading title="People" below={`of ${me.workspace.title}`} />
      <Notice error={people.error} />
      <Section title="Who belongs to it">
        {people.data?.map((person) => (
          <PersonRow
            key={person.id}
            person={person}
            mayChange={mayChange}
            isMe={person.id === `person-${me.user.id}`}
          />
        ))}
      </Section>
      {mayChange ? (
        <AddPerson />
      ) : (
        <Typography color="text.secondary">Only an owner adds people or changes what they may do.</Typography>
      )}
    </>
  );
}

function PersonRow({
  person,
  mayChange,
  isMe,
}: {
  person: Person;
  mayChange: boolean;
  isMe: boolean;
}): ReactNode {
  const change = useChange('changePerson', ['listPeople', 'me']);
  const remove = useChange('removePerson', ['listPeople']);
  const [asks, setAsks] = useState(false);
  const joined = person.linkEndsAt === null;
  const below = joined
    ? (person.email ?? '')
    : `has not joined yet; the link works until ${new Date(person.linkEndsAt!).toLocaleDateString('en-GB')}`;
  return (
    <Box sx={{ borderTop: `1px solid ${ink.faint}`, py: 1 }}>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', sm: '1fr 240px 170px' },
          columnGap: 2,
          rowGap: 1,
          alignItems: 'center',
        }}
      >
        <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
          <Box component="span" sx={{ fontWeight: 600 }}>
            {person.name}
            {isMe ? ' (you)' : ''}
          </Box>
          <Typography color="text.secondary" variant="body2">
            {below}
          </Typography>
        </Box>
        <TextField
          select
          size="small"
          label="Role"
          value={person.role}
          disabled={!mayChange || change.isPending}
          onChange={({ target }) =>
            change.mutate({ params: { person: person.id }, body: { role: target.value as Role } })
          }
        >
          {ROLES.map((role) => (
            <MenuItem key={role} value={role}>
              {ROLE_WORDS[role]}
            </MenuItem>
          ))}
        </TextField>
        <Button
          size="small"
          sx={{ justifySelf: 'start' }}
          disabled={!mayChange || remove.isPending}
          onClick={() => setAsks(true)}
        >
          {joined ? 'Remove' : 'Take the link back'}
        </Button>
      </Box>
      {asks && (
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap', mt: 1 }}>
          <Typography variant="body2">
            {joined
              ? `${person.name} will see nothing of this workspace any more, and their access keys end.`
              : `The link of ${person.name} will not work any more.`}
          </Typography>
          <Button size="small" color="error" onClick={() => remove.mutate({ params: { person: person.id } })}>
            {joined ? `Remove ${person.name}` : 'Take it back'}
          </Button>
          <Button size="small" onClick={() => setAsks(false)}>
            Keep
          </Button>
        </Box>
      )}
      <Notice error={change.error ?? remove.error} />
    </Box>
  );
}

function AddPerson(): ReactNode {
  const add = useChange('addPerson', ['listPeople']);
  const [name, setName] = useState('');
  const [role, setRole] = useState<Role>('viewer');
  return (
    <Section title="Add somebody" note="They make their own password with a link that works once.">
      <Box
        component="form"
        onSubmit={(event) => (
          event.preventDefault(),
          add.mutate({ body: { name, role } }, { onSuccess: () => setName('') })
        )}
        sx={{
          display: 'flex',
          gap: 2,
          flexWrap: { xs: 'wrap', sm: 'nowrap' },
          alignItems: 'flex-end',
          maxWidth: 720,
        }}
      >
        <TextField
          label="Name"
          value={name}
          onChange={({ target }) => setName(target.value)}
          {...troubleOf(add.error)('name')}
        />
        <TextField select label="Role" value={role} onChange={({ target }) => setRole(target.value as Role)}>
          {ROLES.map((one) => (
            <MenuItem key={one} value={one}>
              {ROLE_WORDS[one]}
            </MenuItem>
          ))}
        </TextField>
        <Button
          type="submit"
          disabled={name.trim() === '' || add.isPending}
          sx={{ whiteSpace: 'nowrap', flexShrink: 0 }}
        >
          Make the link
        </Button>
      </Box>
      <Notice error={add.error} beside={['name']} />
      {add.data && (
        <Box sx={{ mt: 2 }}>
          <Copyable label={`The link for ${add.data.person.name}, shown only now`} text={add.data.link} />
        </Box>
      )}
    </Section>
  );
}
