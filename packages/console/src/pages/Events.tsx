import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { counted, tellsSomebody } from '@peatmoor/core';
import { SEVERITIES, type EventsQuery, type Rule } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { EventRow } from '../events/EventRow';
import { saveEvents } from '../events/saveEvents';
import { useEvents } from '../events/useEvents';
import { useLive, useNow } from '../live';
import { FindField } from '../parts/FindField';
import { Heading, Section } from '../parts/Heading';
import { later } from '../parts/later';
import { Notice } from '../parts/Notice';
import { showClock } from '../parts/time';
import { useAddressed } from '../parts/useAddress';
import { useMay } from '../parts/useMay';
import { ink } from '../theme';
import { serviceNow } from '../live/clock';

const MORE = 50;
/** Working a rule's sentence out takes the library of formulas. */
const SentenceInUnits = later(() => import('../rules/SentenceInUnits'), 'SentenceInUnits');
const STATES = [
  ['', 'open and closed'],
  ['open', 'open'],
  ['unacknowledged', 'not acknowledged'],
  ['closed', 'closed'],
] as const;
const PERIODS: [string, string, number][] = [
  ['', 'at any time', 0],
  ['1', 'in the last day', 1],
  ['7', 'in the last 7 days', 7],
  ['30', 'in the last 30 days', 30],
];
const DAY_MS = 86_400_000;
const HOUR_MS = 3_600_000;

/** What happened, newest first, and the rules that say so. */
export function Events(): ReactNode {
  const [address, change] = useAddressed();
  const [most, setMost] = useState(MORE);
  const [mostOpen, setMostOpen] = useState(MORE);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const filters = ['state', 'severity', 'device', 'rule', 'label', 'text', 'days'] as const;
  const of = (name: (typeof filters)[number]): string => address.get(name) ?? '';
  const set = (name: (typeof filters)[number], value: string): void => change({ [name]: value });
  const filtered = filters.some((name) => of(name) !== '');
  const days = Number(of('days'));
  const query: Partial<EventsQuery> & { limit: number } = {
    limit: Math.min(500, most),
    ...(of('state') && { state: of('state') as 'open' }),
    ...(of('severity') && { severity: of('severity') as 'urgent' }),
    ...(of('device') && { device: of('device') }),
    ...(of('rule') && { rule: Number(of('rule')) }),
    ...(of('label') && { label: of('label') }),
    ...(of('text').trim() && { text: of('text').trim() }),
    // Rounded, so that it is not another question at every look.
    ...(days > 0 && { from: Math.floor(serviceNow() / HOUR_MS) * HOUR_MS - days * DAY_MS }),
  };
  const events = useEvents(query, true, true);
  const rules = useRead('listRules');
  const counts = useRead('countEvents').data;
  const devices = useRead('listDevices').data ?? [];
  const several = useChange('changeEvents', ['listEvents', 'countEvents', 'listDevices']);
  const may = useMay('steer');
  const now = useNow(1000);
  const { connected } = useLive();
  const shown = events.events ?? [];
  const open = shown.filter(({ closedAt }) => closedAt === null);
  const closed = shown.filter(({ closedAt }) => closedAt !== null);
  const openChosen = open.filter(({ id }) => chosen.has(id)).map(({ id }) => id);
  const pick = (id: number, on: boolean): void =>
    setChosen((before) => {
      const next = new Set(before);
      if (on) next.add(id);
      else next.delete(id);
      return next;
    });
  const changeAll = (what: 'acknowledge' | 'close'): void =>
    several.mutate({ body: { events: openChosen, what } }, { onSuccess: () => setChosen(new Set()) });
  const labels = [...new Set(devices.flatMap((one) => one.labels))].sort();
  return (
    <>
      <Heading
        title="Events"
        below={
          events.events === undefined
            ? events.error === null
              ? 'Looking …'
              : 'Not known just now.'
            : `${counts === undefined ? '' : counts.open === 0 ? 'Nothing is open' : `${counts.open} open`}${connected ? '.' : ', as far as was heard before the link was lost.'}`
        }
      >
        <Button component={Link} to="/alerts">
          Your alerts
        </Button>
        <Button variant="contained" color="primary" component={Link} to="/events/rules/new">
          New event rule
        </Button>
      </Heading>
      {counts !== undefined && counts.failed > 0 && (
        <Notice>
          {counted(counts.failed, 'alert')} of the last day could not be sent. {counts.failure}
        </Notice>
      )}
      <Box
        component="form"
        role="search"
        onSubmit={(event) => event.preventDefault()}
        sx={{ display: 'grid', gap: 2, gridTemplateColumns: { xs: '1fr 1fr', sm: 'repeat(6, 1fr)' }, mb: 2 }}
      >
        <FindField size="small" label="Find" value={of('text')} onFind={(text) => set('text', text)} />
        <Filter
          label="State"
          value={of('state')}
          onChange={(value) => set('state', value)}
          options={STATES}
        />
        <Filter
          label="Severity"
          value={of('severity')}
          onChange={(value) => set('severity', value)}
          options={[['', 'any'], ...SEVERITIES.map((one) => [one, one] as const)]}
        />
        <Filter
          label="Device"
          value={of('device')}
          onChange={(value) => set('device', value)}
          options={[['', 'any'], ...devices.map(({ id, name }) => [id, name] as const)]}
        />
        <Filter
          label="Label"
          value={of('label')}
          onChange={(value) => set('label', value)}
          options={[['', 'any'], ...labels.map((one) => [one, one] as const)]}
        />
        <Filter
          label="Opened"
          value={of('days')}
          onChange={(value) => set('days', value)}
          options={PERIODS}
        />
      </Box>
      <Notice error={events.error ?? rules.error ?? several.error} />
      {openChosen.length > 0 && (
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1 }}>
          {counted(openChosen.length, 'event')}:
          <Button size="small" disabled={!may || several.isPending} onClick={() => changeAll('acknowledge')}>
            Acknowledge them
          </Button>
          <Button size="small" disabled={!may || several.isPending} onClick={() => changeAll('close')}>
            Close them
          </Button>
        </Box>
      )}
      {open.slice(0, mostOpen).map((event) => (
        <EventRow
          key={event.id}
          event={event}
          now={now}
          chosen={chosen.has(event.id)}
          onChoose={(on) => pick(event.id, on)}
        />
      ))}
      {open.length > mostOpen && (
        <Button sx={{ mt: 2 }} onClick={() => setMostOpen(mostOpen + MORE * 2)}>
          Show more of {open.length} open ones
        </Button>
      )}
      {filters.every((name) => name === 'text' || of(name) === '') && (
        <Rules rules={rules.data} find={of('text')} />
      )}
      <Section
        title={filtered ? 'Closed events of these' : 'Closed events'}
        note={
          shown.length > 0 && (
            <Button size="small" variant="text" onClick={() => saveEvents(shown)}>
              Save as CSV
            </Button>
          )
        }
      >
        {closed.map((event) => (
          <EventRow key={event.id} event={event} now={now} />
        ))}
        {events.events !== undefined && closed.length === 0 && (
          <Typography color="textSecondary">{filtered ? 'None.' : 'None yet.'}</Typography>
        )}
        {events.more && most < 500 && (
          <Button sx={{ mt: 2 }} onClick={() => setMost(most + MORE * 2)}>
            Show older ones
          </Button>
        )}
      </Section>
    </>
  );
}

function Filter({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: readonly (readonly [string, string, ...unknown[]])[];
  onChange: (value: string) => void;
}): ReactNode {
  return (
    <TextField
      select
      size="small"
      label={label}
      value={options.some(([one]) => one === value) ? value : ''}
      onChange={({ target }) => onChange(target.value)}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
    >
      {options.map(([one, words]) => (
        <MenuItem key={one} value={one}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  );
}

function Rules({ rules: all, find }: { rules: Rule[] | undefined; find: string }): ReactNode {
  const words = find.trim().toLowerCase();
  const rules = all?.filter(({ title, sentence }) => `${title} ${sentence}`.toLowerCase().includes(words));
  const people = useRead('listPeople').data ?? [];
  const mutes = useRead('listMutes').data ?? [];
  return (
    <Section title="Event rules" note="Each is one sentence.">
      {rules?.map((rule) => {
        const muted = mutes.find(({ sort, target }) => sort === 'rule' && target === String(rule.id));
        const told = [
          ...rule.people.map(
            (id) => people.find((one) => one.id === `person-${id}`)?.name ?? 'somebody who left',
          ),
          ...rule.roles.map((role) => `every ${role}`),
          ...rule.emails,
          ...(rule.webhooks.length > 0 ? [counted(rule.webhooks.length, 'webhook')] : []),
        ];
        const leftAlone =
          told.length > 0 && people.length > 0 && !tellsSomebody(rule, { people, webhooks: rule.webhooks });
        return (
          <Box
            key={rule.id}
            data-rule={rule.id}
            sx={{
              borderTop: `1px solid ${ink.faint}`,
              py: 1,
              display: 'grid',
              gridTemplateColumns: { xs: '1fr', sm: '1fr minmax(140px, 240px)' },
              columnGap: 3,
              opacity: rule.active ? 1 : 0.6,
            }}
          >
            <Box sx={{ minWidth: 0 }}>
              <Typography variant="h3" component={Link} to={`/events/rules/${rule.id}`}>
                {rule.title}
              </Typography>
              <Sentence rule={rule} />
            </Box>
            <Box
              sx={{
                color: ink.soft,
                fontSize: '0.9rem',
                textAlign: { sm: 'right' },
                overflowWrap: 'anywhere',
              }}
            >
              {rule.active ? rule.severity : 'switched off'}
              {muted && `, muted until ${showClock(muted.until, serviceNow())}`}
              <br />
              {told.length > 0 ? `alerts ${told.join(', ')}` : 'alerts nobody'}
              {leftAlone && ': nobody is left to be told'}
              {rule.actions.length > 0 &&
                `; steers ${[...new Set(rule.actions.map(({ stream }) => stream))].join(', ')}`}
            </Box>
          </Box>
        );
      })}
      {rules?.length === 0 && (
        <Typography color="textSecondary">{words === '' ? 'None yet.' : 'None with these words.'}</Typography>
      )}
    </Section>
  );
}

/** A rule as a sentence: as the service wrote it, or with its values in the units of whoever looks. */
function Sentence({ rule }: { rule: Rule }): ReactNode {
  const units = useRead('me').data?.user.units;
  return (
    <Box>
      {units === 'metric' ? (
        rule.sentence
      ) : (
        <Suspense fallback={rule.sentence}>
          <SentenceInUnits rule={rule} />
        </Suspense>
      )}
    </Box>
  );
}
