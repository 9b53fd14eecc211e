import { Autocomplete, Box, MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { ROLES, tellsSomebody } from '@peatmoor/core';
import { useRead } from '../api';
import type { FieldTrouble } from '../parts/problems';
import type { RuleFields } from './fields';
import { TimeChoice } from './TimeChoice';

interface Told {
  key: string;
  label: string;
  group: 'People' | 'Roles' | 'Webhooks';
}

const REPEATS: [string, number][] = [
  ['once', 0],
  ['every 10 min', 600_000],
  ['every 30 min', 1_800_000],
  ['every hour', 3_600_000],
  ['every 6 h', 21_600_000],
  ['every day', 86_400_000],
];
const ESCALATES: [string, number][] = [
  ['nobody', 0],
  ['after 5 min', 300_000],
  ['after 15 min', 900_000],
  ['after 1 h', 3_600_000],
  ['after 6 h', 21_600_000],
];

/** Who is alerted, how often it reminds, and who comes next. */
export function WhoIsTold({
  fields,
  emailTrouble,
  set,
}: {
  fields: RuleFields;
  emailTrouble: FieldTrouble;
  set: (change: Partial<RuleFields>) => void;
}): ReactNode {
  const people = (useRead('listPeople').data ?? []).filter(({ linkEndsAt }) => linkEndsAt === null);
  const hooks = useRead('listWebhooks').data;
  const webhooks = hooks ?? [];
  const tellsNobody =
    people.length > 0 &&
    hooks !== undefined &&
    !tellsSomebody(
      { ...fields, emails: fields.emails.trim() === '' ? [] : [fields.emails] },
      { people, webhooks: hooks.map(({ id }) => id) },
    );
  const options: Told[] = [
    ...people.map(({ id, name }): Told => ({ key: id, label: name, group: 'People' })),
    ...ROLES.filter((role) => role !== 'none').map((role): Told => ({
      key: `role-${role}`,
      label: `every ${role}`,
      group: 'Roles',
    })),
    ...webhooks.map(({ id, title }): Told => ({ key: `webhook-${id}`, label: title, group: 'Webhooks' })),
  ];
  const chosen = new Set([
    ...fields.people.map((id) => `person-${id}`),
    ...fields.roles.map((role) => `role-${role}`),
    ...fields.webhooks.map((id) => `webhook-${id}`),
  ]);
  const ids = (told: readonly Told[], sort: string): string[] =>
    told.flatMap(({ key }) => (key.startsWith(`${sort}-`) ? key.slice(sort.length + 1) : []));
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 3,
        gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr 1fr' },
        alignItems: 'start',
      }}
    >
      <Autocomplete
        multiple
        options={options}
        groupBy={({ group }) => group}
        value={options.filter(({ key }) => chosen.has(key))}
        isOptionEqualToValue={(one, other) => one.key === other.key}
        onChange={(_event, told) =>
          set({
            people: ids(told, 'person').map(Number),
            roles: ids(told, 'role') as RuleFields['roles'],
            webhooks: ids(told, 'webhook').map(Number),
          })
        }
        sx={{ gridColumn: { sm: 'span 2' } }}
        renderInput={(input) => (
          <TextField
            {...input}
            label="Alerts"
            error={tellsNobody}
            helperText={
              tellsNobody
                ? 'This rule tells nobody: its events stand under Events, and nobody hears of them.'
                : 'Each person is reached as they chose under Your alerts.'
            }
          />
        )}
      />
      <TextField
        label="Other addresses"
        value={fields.emails}
        onChange={({ target }) => set({ emails: target.value })}
        helperText="Each is asked first. Commas between."
        slotProps={{ inputLabel: { shrink: true } }}
        {...emailTrouble}
      />
      <TimeChoice
        label="Tells them"
        value={fields.repeatMs}
        times={REPEATS}
        onChange={(repeatMs) => set({ repeatMs })}
      />
      <TimeChoice
        label="Not acknowledged, tells another"
        value={fields.escalateMs}
        times={ESCALATES}
        onChange={(escalateMs) =>
          set({
            escalateMs,
            escalateTo: fields.escalateTo || Number(people[0]?.id.replace('person-', '') ?? 0),
          })
        }
      />
      {fields.escalateMs > 0 && (
        <TextField
          select
          label="Who is told then"
          value={fields.escalateTo}
          onChange={({ target }) => set({ escalateTo: Number(target.value) })}
        >
          {people.map(({ id, name }) => (
            <MenuItem key={id} value={Number(id.replace('person-', ''))}>
              {name}
            </MenuItem>
          ))}
        </TextField>
      )}
      <TextField
        label="Text of the alert"
        value={fields.message}
        placeholder="{device} is down to {value}"
        onChange={({ target }) => set({ message: target.value })}
        sx={{ gridColumn: { sm: 'span 2' } }}
        helperText="Empty for the usual one. {value}, {device}, {datastream}, {rule}, {severity} and {since} are filled in."
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <TextField
        label="Messages an hour to one person"
        type="number"
        value={fields.mostAlerts}
        onChange={({ target }) => set({ mostAlerts: target.value })}
        slotProps={{ htmlInput: { min: 1, max: 60 } }}
      />
    </Box>
  );
}
