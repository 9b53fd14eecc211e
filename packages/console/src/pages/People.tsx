import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link as PageLink } from 'react-router';
import { mayDo, ROLES, type Role } from '@peatmoor/core';
import type { Grant, Person } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useNow } from '../live';
import { Copyable } from '../parts/Copyable';
import { FindField } from '../parts/FindField';
import { Heading, Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { dates, showClock } from '../parts/time';
import { useAddress } from '../parts/useAddress';
import { AddPeople } from '../people/AddPeople';
import { Grants } from '../people/Grants';
import { TakesOver, useLeftRules } from '../people/TakesOver';
import { ROLE_WORDS } from '../people/words';
import { LinkRow } from '../sharing/LinkRow';
import { ink } from '../theme';

/** Entries of a list that are looked through at a glance. */
const SHORT = 6;

/** Who belongs to the workspace, what each may do, and what is shared with whoever has a link. */
export function People(): ReactNode {
  const me = useRead('me').data;
  const people = useRead('listPeople');
  const mayChange = me !== undefined && mayDo(me.role, 'people');
  const mayShare = me !== undefined && mayDo(me.role, 'change');
  const grants = useRead('listGrants', undefined, mayChange);
  const links = useRead('listLinks', undefined, mayShare);
  const [find, setFind] = useAddress('find');
  if (me === undefined) return null;
  const words = find.trim().toLowerCase();
  const has = (...texts: (string | null)[]): boolean => texts.join(' ').toLowerCase().includes(words);
  const found = people.data?.filter(({ name, email, signInName, role }) =>
    has(name, email, signInName, role),
  );
  const foundLinks = links.data?.filter(({ title }) => has(title));
  const isLong = Math.max(people.data?.length ?? 0, links.data?.length ?? 0) > SHORT;
  return (
    <>
      <Heading title="People" below={`of ${me.workspace.title}`}>
        {mayChange && (
          <Button component={PageLink} to="/people/changes">
            Who changed what
          </Button>
        )}
      </Heading>
      <Notice error={people.error ?? grants.error} />
      {(isLong || find !== '') && (
        <FindField
          label="Find"
          placeholder="a name, an email, a role, a link"
          value={find}
          onFind={setFind}
          sx={{ maxWidth: 300 }}
        />
      )}
      <Section title="Who belongs to it">
        {found?.length === 0 && <Typography color="textSecondary">Nobody with these words.</Typography>}
        {found?.map((person) => (
          <PersonRow
            key={person.id}
            person={person}
            grants={(grants.data ?? []).filter(({ userId }) => userId === person.userId)}
            mayChange={mayChange}
            isMe={person.userId === me.user.id}
          />
        ))}
      </Section>
      {mayChange ? (
        <AddPeople />
      ) : (
        <Typography color="textSecondary" sx={{ mt: 2 }}>
          Only an owner adds people or changes what they may do.
        </Typography>
      )}
      {mayShare && (
        <Section
          title="Share links"
          note="Whoever has such an address sees what it shows, without an account. Make one with Share on a dashboard, a widget or a device."
        >
          <Notice error={links.error} />
          {links.data?.length === 0 && <Typography color="textSecondary">Nothing is shared.</Typography>}
          {links.data !== undefined && links.data.length > 0 && foundLinks?.length === 0 && (
            <Typography color="textSecondary">None with these words.</Typography>
          )}
          {foundLinks?.map((link) => (
            <LinkRow key={link.id} link={link} />
          ))}
        </Section>
      )}
    </>
  );
}

function PersonRow({
  person,
  grants,
  mayChange,
  isMe,
}: {
  person: Person;
  grants: readonly Grant[];
  mayChange: boolean;
  isMe: boolean;
}): ReactNode {
  const change = useChange('changePerson', ['listPeople', 'me']);
  const remove = useChange('removePerson', ['listPeople']);
  const reset = useChange('resetPerson');
  const [asks, setAsks] = useState(false);
  /** The role that was chosen and waits for who takes over. */
  const [nextRole, setNextRole] = useState<Role | null>(null);
  const [taker, setTaker] = useState('');
  const leaves = useLeftRules(person);
  const left = asks || nextRole !== null ? leaves(nextRole) : [];
  const asksWho = left.length > 0;
  const now = useNow(60_000);
  const joined = person.linkEndsAt === null;
  const seen = person.seenAt === null ? 'not seen yet' : `last seen ${showClock(person.seenAt, now)}`;
  const below = joined
    ? [person.email ?? `signs in as ${person.signInName}`, isMe ? null : seen].filter(Boolean).join(' · ')
    : `${person.usesLeft === 1 ? 'has not joined yet' : `${person.usesLeft} may still join`}; the link works until ${dates().date(person.linkEndsAt!)}`;
  const name = person.name || (person.email ?? 'A link for several people');
  const hasAll = mayDo(person.role, 'operate');
  return (
    <Box sx={{ borderTop: `1px solid ${ink.faint}`, py: 1 }} data-person={person.id}>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', sm: '1fr 240px 250px' },
          columnGap: 2,
          rowGap: 1,
          alignItems: 'center',
        }}
      >
        <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
          <Box component="span" sx={{ fontWeight: 600 }}>
            {name}
            {isMe ? ' (you)' : ''}
          </Box>
          <Typography color="textSecondary" variant="body2">
            {below}
          </Typography>
        </Box>
        <TextField
          select
          size="small"
          label="Role"
          value={nextRole ?? person.role}
          disabled={!mayChange || change.isPending}
          onChange={({ target }) => {
            const role = target.value as Role;
            setAsks(false);
            if (leaves(role).length > 0) setNextRole(role);
            else change.mutate({ params: { person: person.id }, body: { role } });
          }}
        >
          {ROLES.map((role) => (
            <MenuItem key={role} value={role}>
              {ROLE_WORDS[role]}
            </MenuItem>
          ))}
        </TextField>
        <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
          <Button
            size="small"
            disabled={!mayChange || remove.isPending}
            onClick={() => {
              setNextRole(null);
              setAsks(true);
            }}
          >
            {joined ? 'Remove' : 'Take the link back'}
          </Button>
          {joined && mayChange && !isMe && (
            <Button
              size="small"
              disabled={reset.isPending}
              onClick={() => reset.mutate({ params: { person: person.id } })}
            >
              New password
            </Button>
          )}
        </Box>
        {joined && mayChange && !hasAll && <Grants person={person} grants={grants} />}
      </Box>
      {asks && (
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap', mt: 1 }}>
          <Typography variant="body2">
            {joined
              ? `${person.name} will see nothing of this workspace any more, and their access keys end.`
              : `The link of ${name} will not work any more.`}
          </Typography>
          {asksWho && <TakesOver person={person} rules={left} value={taker} onChange={setTaker} />}
          <Button
            size="small"
            color="error"
            disabled={(asksWho && taker === '') || remove.isPending}
            onClick={() =>
              remove.mutate({ params: { person: person.id }, query: asksWho ? { takesOver: taker } : {} })
            }
          >
            {joined ? `Remove ${person.name}` : 'Take it back'}
          </Button>
          <Button size="small" onClick={() => setAsks(false)}>
            Keep
          </Button>
        </Box>
      )}
      {nextRole !== null && (
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap', mt: 1 }}>
          <TakesOver person={person} rules={left} value={taker} onChange={setTaker} />
          <Button
            size="small"
            disabled={taker === '' || change.isPending}
            onClick={() =>
              change.mutate(
                { params: { person: person.id }, body: { role: nextRole, takesOver: taker } },
                { onSuccess: () => setNextRole(null) },
              )
            }
          >
            Make {person.name} {nextRole}
          </Button>
          <Button size="small" onClick={() => setNextRole(null)}>
            Keep
          </Button>
        </Box>
      )}
      {reset.data && (
        <Copyable
          label={`A new password for ${person.name}: works once, for an hour, shown only now`}
          text={reset.data.link}
        />
      )}
      <Notice error={change.error ?? remove.error ?? reset.error} />
    </Box>
  );
}
