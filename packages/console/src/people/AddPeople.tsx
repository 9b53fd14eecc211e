import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { ROLES, type Role } from '@peatmoor/core';
import { useChange } from '../api';
import { Copyable } from '../parts/Copyable';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { ROLE_WORDS } from './words';

const DAYS: readonly [number, string][] = [
  [1, 'a day'],
  [7, 'a week'],
  [30, '30 days'],
  [365, 'a year'],
];
/** How a link is meant: for one person, sent by mail, or for a whole class. */
const WAYS = {
  hand: 'I hand the link over',
  mail: 'Send it by email',
  many: 'One link for several people',
} as const;
type Way = keyof typeof WAYS;

/** Adds one person, or many with one link. They need no email. */
export function AddPeople(): ReactNode {
  const add = useChange('addPerson', ['listPeople']);
  const [way, setWay] = useState<Way>('hand');
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const [uses, setUses] = useState('30');
  const [role, setRole] = useState<Role>('viewer');
  const [days, setDays] = useState(7);
  const trouble = troubleOf(add.error);
  const ready = way === 'many' ? Number(uses) > 0 : way === 'mail' ? email.trim() !== '' : name.trim() !== '';
  return (
    <Section
      title="Add somebody"
      note="They make their own password; an email is not needed. Who has an account here already joins with it."
    >
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate(
            {
              body: {
                role,
                days,
                name: way === 'many' || name.trim() === '' ? null : name,
                email: way === 'mail' ? email : null,
                uses: way === 'many' ? Number(uses) : 1,
              },
            },
            { onSuccess: () => (setName(''), setEmail('')) },
          );
        }}
        sx={{
          display: 'grid',
          gap: 2,
          alignItems: 'end',
          maxWidth: 1000,
          gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr', md: '220px 1fr 220px 130px auto' },
        }}
      >
        <TextField select label="How" value={way} onChange={({ target }) => setWay(target.value as Way)}>
          {Object.entries(WAYS).map(([key, words]) => (
            <MenuItem key={key} value={key}>
              {words}
            </MenuItem>
          ))}
        </TextField>
        {way === 'hand' && (
          <TextField
            label="Name"
            value={name}
            onChange={({ target }) => setName(target.value)}
            {...trouble('name')}
          />
        )}
        {way === 'mail' && (
          <TextField
            label="Email"
            type="email"
            value={email}
            onChange={({ target }) => setEmail(target.value)}
            {...trouble('email')}
          />
        )}
        {way === 'many' && (
          <TextField
            label="How many people"
            value={uses}
            onChange={({ target }) => setUses(target.value.replace(/\D/g, ''))}
            {...trouble('uses')}
          />
        )}
        <TextField select label="Role" value={role} onChange={({ target }) => setRole(target.value as Role)}>
          {ROLES.map((one) => (
            <MenuItem key={one} value={one}>
              {ROLE_WORDS[one]}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="The link works"
          value={days}
          onChange={({ target }) => setDays(Number(target.value))}
        >
          {DAYS.map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </TextField>
        <Button type="submit" disabled={!ready || add.isPending}>
          {way === 'mail' ? 'Send the link' : 'Make the link'}
        </Button>
      </Box>
      <Notice error={add.error} beside={['name', 'email', 'uses']} />
      {add.data && (
        <Box sx={{ mt: 2 }}>
          <Copyable
            label={
              add.data.person.email !== null
                ? `Sent to ${add.data.person.email}; the same link, shown only now`
                : `The link for ${add.data.person.name || `${add.data.person.usesLeft} people`}, shown only now`
            }
            text={add.data.link}
          />
        </Box>
      )}
    </Section>
  );
}
