import { Box, Button, Checkbox, FormControlLabel, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useNavigate, useParams } from 'react-router';
import {
  foldName,
  isNumeric,
  KEY_PATTERN,
  notConfirmedSentence,
  raisedSentence,
  ruleSentence,
  whomWatched,
  type Condition,
} from '@peatmoor/core';
import {
  SEVERITIES,
  type Kind,
  type Device,
  type Rule,
  type RuleIn,
  type Severity,
} from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { firstFields, type RuleFields } from '../rules/fields';
import { TimeChoice } from '../rules/TimeChoice';
import { useAsk } from '../parts/Ask';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { fieldsIn, troubleOf } from '../parts/problems';
import { NotThere } from '../parts/NotThere';
import { useDisplay } from '../parts/useDisplay';
import { ink } from '../theme';

/** Writes an event rule as a sentence, or changes one. */
export function RulePage(): ReactNode {
  const { rule: id = 'new' } = useParams();
  const rule = useRead('readRule', { params: { rule: id } }, id !== 'new');
  const devices = useRead('listDevices').data;
  const kinds = useRead('listKinds').data;
  const me = useRead('me').data;
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
  return <RuleForm key={id} before={rule.data} devices={devices} kinds={kinds} email={me.user.email} />;
}

function RuleForm({
  before,
  devices,
  kinds,
  email,
}: {
  before: Rule | undefined;
  devices: Device[];
  kinds: Kind[];
  email: string;
}): ReactNode {
  const navigate = useNavigate();
  const create = useChange('createRule', ['listRules']);
  // What the form was filled from: somebody else's change meanwhile is not written over.
  const [version] = useState(before?.version);
  const change = useChange('changeRule', ['listRules', 'readRule', 'listEvents']);
  const remove = useChange('deleteRule', ['listRules']);
  const ask = useAsk();
  const displayOf = useDisplay();
  const [fields, setFields] = useState<RuleFields>(() =>
    firstFields(before, devices, kinds, email, displayOf),
  );
  const set = <N extends keyof RuleFields>(name: N, value: RuleFields[N]): void =>
    setFields((all) => ({ ...all, [name]: value }));
  const [sort, target = ''] = fields.whom.split(/:(.*)/);
  const device = sort === 'device' ? devices.find(({ id }) => id === target) : undefined;
  const kind = kinds.find(({ id }) => id === (device?.kindId ?? Number(target)));
  const unconfirmed = fields.comparison === 'not-confirmed';
  const raised = fields.comparison === 'raised';
  // What has no limit, and opens and closes by what happens.
  const byFact = raised || unconfirmed;
  const streams =
    kind?.streams.filter((one) =>
      unconfirmed
        ? one.follow !== null
        : one.direction !== 'control' && isNumeric(one) && one.type !== 'colour',
    ) ?? [];
  const stream = streams.find(({ key }) => key === fields.stream) ?? streams[0];
  const isBoolean = stream?.type === 'boolean' && !unconfirmed;
  // Limits are written in the units of whoever writes them, and kept in those of the datastream.
  const display = stream && displayOf(stream);
  const limitOf = (text: string): number => display?.back(Number(text)) ?? Number(text);
  const condition: Condition = {
    comparison: byFact ? 'above' : (fields.comparison as 'above' | 'below'),
    limit: isBoolean ? 0.5 : limitOf(fields.limit),
    holdMs: fields.holdMs,
    closeLimit: isBoolean || fields.closeLimit === '' ? null : limitOf(fields.closeLimit),
    closeHoldMs: fields.closeHoldMs,
  };
  const key = foldName(fields.eventKey);
  const ready = raised
    ? KEY_PATTERN.test(key)
    : stream !== undefined && (isBoolean || unconfirmed || fields.limit.trim() !== '');
  const whom = whomWatched(device?.name ?? null, kind?.title ?? '');
  const sentence = !ready
    ? raised
      ? 'Give the event a key, which the program uses: low_battery.'
      : unconfirmed
        ? 'Nothing of this kind must follow a control yet: say so in the datastream of the control.'
        : 'Choose whom it watches, and a limit.'
    : raised
      ? raisedSentence(key, whom)
      : unconfirmed
        ? notConfirmedSentence(stream!.title, whom)
        : ruleSentence(condition, stream!, whom, display!.reading);
  const done = { onSuccess: () => void navigate('/events') };
  const submit = (): void => {
    const body: RuleIn = {
      ...condition,
      comparison: fields.comparison,
      title:
        fields.title.trim() ||
        (raised
          ? key
          : unconfirmed
            ? `${stream!.title} is not confirmed`
            : isBoolean
              ? stream!.title
              : `${stream!.title} ${fields.comparison} ${display!.reading(condition.limit)}`),
      severity: fields.severity,
      deviceId: device?.id ?? null,
      kindId: device === undefined ? kind!.id : null,
      stream: raised ? key : stream!.key,
      emails: fields.emails.split(/[\s,;]+/).filter(Boolean),
      active: fields.active,
    };
    if (before === undefined) create.mutate({ body }, done);
    else
      change.mutate(
        { params: { rule: before.id }, body, ...(version !== undefined && { ifVersion: version }) },
        done,
      );
  };
  const unit = display?.unit ?? '';
  const failure = create.error ?? change.error ?? remove.error;
  const trouble = troubleOf(failure);
  const emailField = fieldsIn(failure).find((field) => field.startsWith('emails')) ?? 'emails';
  return (
    <Box component="form" onSubmit={(event) => (event.preventDefault(), submit())} sx={{ maxWidth: 760 }}>
      <Heading title={before === undefined ? 'New event rule' : before.title} />
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
        }}
      >
        {sentence}
      </Typography>
      <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr 1fr' } }}>
        <TextField
          select
          label="Watches"
          value={fields.whom}
          onChange={({ target: { value } }) => set('whom', value)}
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
        </TextField>
        {!raised && (
          <TextField
            select
            label="Datastream"
            value={stream?.key ?? ''}
            onChange={({ target: { value } }) => set('stream', value)}
          >
            {streams.map(({ key, title }) => (
              <MenuItem key={key} value={key}>
                {title}
              </MenuItem>
            ))}
          </TextField>
        )}
        <TextField
          select
          label="Opens when it is"
          value={fields.comparison}
          onChange={({ target: { value } }) => set('comparison', value as 'above')}
        >
          <MenuItem value="above">{isBoolean ? 'on' : 'above'}</MenuItem>
          <MenuItem value="below">{isBoolean ? 'off' : 'below'}</MenuItem>
          <MenuItem value="raised">raised by the device</MenuItem>
          <MenuItem value="not-confirmed">not confirmed</MenuItem>
        </TextField>
        {raised && (
          <TextField
            label="Key of the event"
            placeholder="low_battery"
            value={fields.eventKey}
            onChange={({ target: { value } }) => set('eventKey', value)}
            helperText="The program raises and clears it by this key."
            {...trouble('stream')}
          />
        )}
        {!isBoolean && !byFact && (
          <TextField
            label={unit === '' ? 'Limit' : `Limit (${unit})`}
            type="number"
            value={fields.limit}
            onChange={({ target: { value } }) => set('limit', value)}
            {...trouble('limit')}
            slotProps={{ htmlInput: { step: 'any' }, inputLabel: { shrink: true } }}
          />
        )}
        {!byFact && (
          <TimeChoice label="Opens" value={fields.holdMs} onChange={(value) => set('holdMs', value)} />
        )}
        {!isBoolean && !byFact && (
          <TextField
            label={unit === '' ? 'Closes at' : `Closes at (${unit})`}
            type="number"
            placeholder="the limit"
            value={fields.closeLimit}
            onChange={({ target: { value } }) => set('closeLimit', value)}
            {...trouble('closeLimit')}
            slotProps={{ htmlInput: { step: 'any' }, inputLabel: { shrink: true } }}
          />
        )}
        {!byFact && (
          <TimeChoice
            label="Closes"
            value={fields.closeHoldMs}
            onChange={(value) => set('closeHoldMs', value)}
          />
        )}
        <TextField
          select
          label="Severity"
          value={fields.severity}
          onChange={({ target: { value } }) => set('severity', value as Severity)}
        >
          {SEVERITIES.map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Email to"
          value={fields.emails}
          onChange={({ target: { value } }) => set('emails', value)}
          helperText="Several with commas between; empty for none."
          {...trouble(emailField)}
        />
        <TextField
          label="Name of the rule"
          value={fields.title}
          placeholder="Peat is drying out"
          onChange={({ target: { value } }) => set('title', value)}
          {...trouble('title')}
        />
      </Box>
      <FormControlLabel
        sx={{ mt: 2 }}
        control={<Checkbox checked={fields.active} onChange={(_event, on) => set('active', on)} />}
        label="switched on"
      />
      <Notice
        error={failure}
        beside={['title', 'limit', 'closeLimit', emailField, ...(raised ? ['stream'] : [])]}
      />
      <Box sx={{ display: 'flex', gap: 2, mt: 3 }}>
        <Button
          type="submit"
          variant="contained"
          color="primary"
          disabled={!ready || create.isPending || change.isPending}
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
