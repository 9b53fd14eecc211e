import { Box, Button, Checkbox, FormControlLabel, MenuItem, TextField, Typography } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { CONDITION_WORDS, isNumeric, MOST_CONDITIONS, whomWatched } from '@peatmoor/core';
import { SEVERITIES, type Rule, type Severity } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { Heading, Section } from '../parts/Heading';
import { later } from '../parts/later';
import { Notice } from '../parts/Notice';
import { NotThere } from '../parts/NotThere';
import { fieldsIn, troubleOf } from '../parts/problems';
import { useDisplay } from '../parts/useDisplay';
import { Actions } from '../rules/Actions';
import { ConditionEditor } from '../rules/ConditionEditor';
import { EMPTY_CONDITION, readyRule, type Catalogue, type RuleFields } from '../rules/fields';
import { firstFields } from '../rules/firstFields';
import { Hours } from '../rules/Hours';
import { Mutes } from '../rules/Mutes';
import { OwnLimits } from '../rules/OwnLimits';
import { TimeChoice } from '../rules/TimeChoice';
import { ink } from '../theme';

const Trial = later(() => import('../rules/Trial'), 'Trial');
const WhoIsTold = later(() => import('../rules/WhoIsTold'), 'WhoIsTold');

/** Fields of the form at which what is said of them stands. */
const BESIDE =
  /^(also\[\d+\]\.)?(title|label|limit|closeLimit|low|high|margin|amount|spreads|text|area|expression|stream|comparison|emails.*)$/;

/** What these parts of the page take of it, in px. */
const TRIAL_PX = 320;
const TOLD_PX = 330;

/** Devices of a rule that are listed with what they have of their own. */
const MOST_OWN = 60;

/** Writes an event rule as a sentence, or changes one. */
export function RulePage(): ReactNode {
  const { rule: id = 'new' } = useParams();
  const rule = useRead('readRule', { params: { rule: id } }, id !== 'new');
  const devices = useRead('listDevices').data;
  const kinds = useRead('listKinds').data;
  const me = useRead('me').data;
  const displayOf = useDisplay();
  if (rule.error && rule.data === undefined)
    return <NotThere error={rule.error} what="event rule" back={['All event rules', '/events']} />;
  if (
    devices === undefined ||
    kinds === undefined ||
    me === undefined ||
    (id !== 'new' && rule.data === undefined)
  )
    return null;
  if (devices.length === 0 && kinds.length === 0)
    return (
      <Heading
        title="New event rule"
        below="First make a device or a kind: a rule watches one of its datastreams."
      />
    );
  return (
    <RuleForm
      key={id}
      before={rule.data}
      catalogue={{ devices, kinds, displayOf }}
      me={me.user.id}
      zone={me.workspace.zone}
    />
  );
}

function RuleForm({
  before,
  catalogue,
  me,
  zone,
}: {
  before: Rule | undefined;
  catalogue: Catalogue;
  me: number;
  zone: string;
}): ReactNode {
  const navigate = useNavigate();
  const [address] = useSearchParams();
  const create = useChange('createRule', ['listRules', 'listAddresses']);
  // What the form was filled from: somebody else's change meanwhile is not written over.
  const [version] = useState(before?.version);
  const change = useChange('changeRule', ['listRules', 'readRule', 'listEvents', 'listAddresses']);
  const remove = useChange('deleteRule', ['listRules']);
  const ask = useAsk();
  const [fields, setFields] = useState<RuleFields>(() =>
    firstFields(before, catalogue, me, {
      device: address.get('device'),
      kind: address.get('kind'),
      stream: address.get('stream'),
    }),
  );
  const set = (part: Partial<RuleFields>): void => setFields((all) => ({ ...all, ...part }));
  const setCondition = (i: number, part: Partial<RuleFields['conditions'][number]>): void =>
    setFields((all) => ({
      ...all,
      conditions: all.conditions.map((one, at) => (at === i ? { ...one, ...part } : one)),
    }));
  const { devices, kinds, displayOf } = catalogue;
  const labels = [...new Set(devices.flatMap((one) => one.labels))].sort();
  const ready = readyRule(fields, catalogue);
  const [first] = fields.conditions;
  const sort = CONDITION_WORDS[first!.comparison];
  const isPast = sort.watches === 'readings' && !['presence', 'seen', 'refused'].includes(sort.looks ?? '');
  const [whomSort, target = ''] = fields.whom.split(/:(.*)/);
  const watched = devices.filter(({ id, kindId, labels: own }) =>
    whomSort === 'device'
      ? id === target
      : whomSort === 'kind'
        ? String(kindId) === target
        : own.includes(target),
  );
  const done = { onSuccess: () => void navigate('/events') };
  const submit = (): void => {
    if (ready === null) return;
    if (before === undefined) create.mutate({ body: ready.body }, done);
    else
      change.mutate(
        {
          params: { rule: before.id },
          body: ready.body,
          ...(version !== undefined && { ifVersion: version }),
        },
        done,
      );
  };
  const failure = create.error ?? change.error ?? remove.error;
  const trouble = troubleOf(failure);
  const spoken = fieldsIn(failure);
  const emailField = spoken.find((field) => field.startsWith('emails')) ?? 'emails';
  const display = ready?.stream && displayOf(ready.stream);
  return (
    <Box component="form" onSubmit={(event) => (event.preventDefault(), submit())} sx={{ maxWidth: 860 }}>
      <Heading title={before === undefined ? 'New event rule' : before.title}>
        {before && (
          <Button component={Link} to={`/events?rule=${before.id}`}>
            Its events
          </Button>
        )}
      </Heading>
      <Typography
        component="div"
        aria-live="polite"
        data-sentence
        sx={{
          fontSize: '1.35rem',
          lineHeight: 1.4,
          borderLeft: `3px solid ${ink.heather}`,
          pl: 2,
          mb: 4,
          minHeight: '2.8em',
          overflowWrap: 'anywhere',
        }}
      >
        {ready?.sentence ?? 'Choose whom it watches, and what must be so.'}
      </Typography>
      <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr 1fr' }, mb: 3 }}>
        <TextField
          select
          label="Watches"
          value={fields.whom}
          onChange={({ target: { value } }) => set({ whom: value, own: [] })}
          {...trouble('label')}
        >
          {devices.map(({ id, name }) => (
            <MenuItem key={id} value={`device:${id}`}>
              {name}
            </MenuItem>
          ))}
          {kinds.map(({ id, title }) => (
            <MenuItem key={id} value={`kind:${id}`}>
              {whomWatched(null, title)}
            </MenuItem>
          ))}
          {labels.map((label) => (
            <MenuItem key={label} value={`label:${label}`}>
              any device labelled “{label}”
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Name of the rule"
          value={fields.title}
          placeholder={ready?.body.title ?? 'Peat is drying out'}
          onChange={({ target: { value } }) => set({ title: value })}
          {...trouble('title')}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextField
          select
          label="Severity"
          value={fields.severity}
          onChange={({ target: { value } }) => set({ severity: value as Severity })}
        >
          {SEVERITIES.map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
      </Box>
      <Box sx={{ display: 'grid', gap: 3 }}>
        {fields.conditions.map((condition, i) => (
          <Box key={i}>
            {i > 0 && (
              <Button
                size="small"
                variant="text"
                onClick={() => set({ join: fields.join === 'all' ? 'any' : 'all' })}
              >
                {fields.join === 'all' ? 'and' : 'or'}
              </Button>
            )}
            <ConditionEditor
              fields={condition}
              first={i === 0}
              whom={fields.whom}
              catalogue={catalogue}
              trouble={(field) => trouble(i === 0 ? field : `also[${i - 1}].${field}`)}
              onChange={(part) => setCondition(i, part)}
              onRemove={
                i === 0
                  ? undefined
                  : () => set({ conditions: fields.conditions.filter((_one, at) => at !== i) })
              }
            />
          </Box>
        ))}
        <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr 1fr' } }}>
          {sort.watches === 'readings' && (
            <TimeChoice label="Opens" value={fields.holdMs} onChange={(holdMs) => set({ holdMs })} />
          )}
          {sort.watches === 'readings' && (
            <TimeChoice
              label="Closes"
              value={fields.closeHoldMs}
              onChange={(closeHoldMs) => set({ closeHoldMs })}
            />
          )}
          {sort.watches === 'readings' && fields.conditions.length < MOST_CONDITIONS && (
            <Button
              onClick={() => set({ conditions: [...fields.conditions, { ...EMPTY_CONDITION }] })}
              sx={{ justifySelf: 'start' }}
            >
              Another condition
            </Button>
          )}
        </Box>
        {sort.watches === 'readings' && (
          <Hours value={fields.hours} zone={zone} onChange={(hours) => set({ hours })} />
        )}
      </Box>
      {ready !== null && isPast && (
        <Section title="Try it" note="On what came so far; the limit can be dragged.">
          <Suspense fallback={<Box sx={{ height: TRIAL_PX }} />}>
            <Trial
              ready={ready}
              watched={watched}
              catalogue={catalogue}
              onLimit={(limit) =>
                setCondition(0, { limit: String(Number((display?.convert(limit) ?? limit).toPrecision(8))) })
              }
            />
          </Suspense>
        </Section>
      )}
      <Section title="Who is told">
        <Suspense fallback={<Box sx={{ height: TOLD_PX }} />}>
          <WhoIsTold fields={fields} emailTrouble={trouble(emailField)} set={set} />
        </Suspense>
      </Section>
      <Section title="What it steers" note="Beside telling people: a value wanted of a control.">
        <Actions
          actions={fields.actions}
          whom={fields.whom}
          catalogue={catalogue}
          onChange={(actions) => set({ actions })}
        />
      </Section>
      {whomSort !== 'device' && watched.length > 0 && (
        <Section title="Single devices" note="Another limit, or left out.">
          <OwnLimits
            own={fields.own}
            watched={watched.slice(0, MOST_OWN)}
            display={display}
            hasLimit={sort.fields.includes('limit') && ready?.stream !== undefined && isNumeric(ready.stream)}
            onChange={(own) => set({ own })}
          />
        </Section>
      )}
      {before && (
        <Section title="Quiet for a while" note="Events are written down all the same; nobody is alerted.">
          <Mutes sort="rule" target={String(before.id)} />
        </Section>
      )}
      <FormControlLabel
        sx={{ mt: 2 }}
        control={<Checkbox checked={fields.active} onChange={(_event, active) => set({ active })} />}
        label="switched on"
      />
      <Notice error={failure} beside={spoken.filter((field) => BESIDE.test(field))} />
      <Box sx={{ display: 'flex', gap: 2, mt: 3 }}>
        <Button
          type="submit"
          variant="contained"
          color="primary"
          disabled={ready === null || create.isPending || change.isPending}
        >
          {before === undefined ? 'Make the rule' : 'Change the rule'}
        </Button>
        {before && (
          <Button
            disabled={remove.isPending}
            onClick={() =>
              void ask({
                title: `Delete the rule “${before.title}”?`,
                text: 'It watches no more, and alerts nobody. Its events stay.',
                action: 'Delete the rule',
              }).then((yes) => yes && remove.mutate({ params: { rule: before.id } }, done))
            }
          >
            Delete it
          </Button>
        )}
      </Box>
    </Box>
  );
}
