import { MenuItem, TextField, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { counted, leftWithoutAnybody, type Role } from '@peatmoor/core';
import type { Person, Rule } from '@peatmoor/contract';
import { useRead } from '../api';

const MOST_NAMED = 5;

interface There {
  people: readonly Person[];
  webhooks: readonly number[];
}

/** Tells which event rules would tell nobody any more once others are there; none until that is known. */
export function useLeftOnce(asks = true): (once: (there: There) => There) => Rule[] {
  const rules = useRead('listRules', undefined, asks).data;
  const people = useRead('listPeople', undefined, asks).data;
  const webhooks = useRead('listWebhooks', undefined, asks).data;
  if (rules === undefined || people === undefined || webhooks === undefined) return () => [];
  const there = { people, webhooks: webhooks.map(({ id }) => id) };
  return (once) => leftWithoutAnybody(rules, there, once(there));
}

/** The same once somebody has another role, or with null has gone. */
export function useLeftRules({ userId }: Pick<Person, 'userId'>): (next: Role | null) => Rule[] {
  const left = useLeftOnce(userId !== null);
  return (next) =>
    left(({ people, ...others }) => ({
      ...others,
      people: people.flatMap((one) =>
        one.userId !== userId ? [one] : next === null ? [] : [{ ...one, role: next }],
      ),
    }));
}

/** Names the rules that would tell nobody, and asks who takes over. */
export function TakesOver({
  person,
  rules,
  value,
  onChange,
  once = '',
}: {
  person: Pick<Person, 'id'>;
  rules: readonly Rule[];
  /** The ID of a person, `nobody`, or empty for not chosen yet. */
  value: string;
  onChange: (value: string) => void;
  /** When it would be so, as the sentence begins. */
  once?: string;
}): ReactNode {
  const people = (useRead('listPeople').data ?? []).filter(
    ({ userId, id, role }) => userId !== null && id !== person.id && role !== 'none',
  );
  return (
    <>
      <Typography variant="body2" sx={{ flexBasis: '100%' }}>
        {once}
        {counted(rules.length, 'event rule')} would tell nobody any more:{' '}
        {rules.slice(0, MOST_NAMED).map(({ id, title }, i) => (
          <span key={id}>
            {i > 0 && ', '}
            <Link to={`/events/rules/${id}`}>{title}</Link>
          </span>
        ))}
        {rules.length > MOST_NAMED && ` and ${rules.length - MOST_NAMED} more`}.
      </Typography>
      <TextField
        select
        size="small"
        label="Who is told from now on"
        value={value}
        onChange={({ target }) => onChange(target.value)}
        sx={{ width: { xs: '100%', sm: 260 } }}
      >
        {people.map(({ id, name }) => (
          <MenuItem key={id} value={id}>
            {name}
          </MenuItem>
        ))}
        <MenuItem value="nobody">Nobody</MenuItem>
      </TextField>
    </>
  );
}
