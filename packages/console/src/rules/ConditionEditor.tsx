import { Box, Button, MenuItem, TextField } from '@mui/material';
import type { ReactNode } from 'react';
import { CONDITION_NAMES, CONDITION_WORDS, WINDOW_STATISTICS, type SettingName } from '@peatmoor/core';
import type { FieldTrouble } from '../parts/problems';
import { streamsFor, streamsOf, type Catalogue, type ConditionFields } from './fields';
import { TimeChoice } from './TimeChoice';

const SHRUNK = { slotProps: { htmlInput: { step: 'any' }, inputLabel: { shrink: true } } } as const;
const LABELS: Partial<Record<SettingName, string>> = {
  limit: 'Limit',
  closeLimit: 'Closes at',
  low: 'From',
  high: 'To',
  margin: 'Closes when back by',
  amount: 'By how much',
  spreads: 'Times the usual spread',
};
const STATISTICS = {
  mean: 'its mean',
  lowest: 'its lowest',
  highest: 'its highest',
  sum: 'its sum',
  count: 'the number of readings',
  spread: 'its spread',
} as const;
const WITHIN: [string, number][] = [
  ['10 s', 10_000],
  ['1 min', 60_000],
  ['5 min', 300_000],
  ['10 min', 600_000],
  ['30 min', 1_800_000],
  ['1 h', 3_600_000],
  ['6 h', 21_600_000],
  ['24 h', 86_400_000],
  ['7 d', 604_800_000],
];

/** One condition: of which datastream, what must be so, and what that is set to. */
export function ConditionEditor({
  fields,
  first,
  whom,
  catalogue,
  trouble,
  onChange,
  onRemove,
}: {
  fields: ConditionFields;
  /** The first looks at those the rule watches; the others may look at another device. */
  first: boolean;
  whom: string;
  catalogue: Catalogue;
  trouble: (field: string) => FieldTrouble;
  onChange: (change: Partial<ConditionFields>) => void;
  onRemove: (() => void) | undefined;
}): ReactNode {
  const { comparison } = fields;
  const sort = CONDITION_WORDS[comparison];
  const streams = streamsOf(whom, fields.device, catalogue);
  const fitting = streamsFor(comparison, streams);
  const stream = fitting.find(({ key }) => key === fields.stream) ?? fitting[0];
  const display = stream && catalogue.displayOf(stream);
  const yesOrNo = stream?.type === 'boolean' && (comparison === 'above' || comparison === 'below');
  const unitless = comparison === 'refused' || fields.statistic === 'count';
  const labelOf = (name: SettingName): string => {
    const unit =
      name === 'spreads' || (unitless && name !== 'margin' && sort.fields.includes('withinMs'))
        ? ''
        : (display?.unit ?? '');
    return `${LABELS[name]}${unit === '' ? '' : ` (${unit})`}`;
  };
  const shown = sort.fields.filter((name) => !(yesOrNo && (name === 'limit' || name === 'closeLimit')));
  const one = (name: SettingName): ReactNode => {
    switch (name) {
      case 'withinMs':
        return (
          <TimeChoice
            key={name}
            label={
              sort.sort === 'silent' || sort.sort === 'unchanged'
                ? 'For'
                : sort.sort === 'changes'
                  ? 'Closes after'
                  : 'Within'
            }
            value={fields.withinMs}
            times={WITHIN}
            onChange={(withinMs) => onChange({ withinMs })}
          />
        );
      case 'statistic':
        return (
          <TextField
            key={name}
            select
            label="What of it"
            value={fields.statistic}
            onChange={({ target }) => onChange({ statistic: target.value as 'mean' })}
          >
            {WINDOW_STATISTICS.map((each) => (
              <MenuItem key={each} value={each}>
                {STATISTICS[each]}
              </MenuItem>
            ))}
          </TextField>
        );
      case 'side':
        return (
          <TextField
            key={name}
            select
            label="Is"
            value={fields.side}
            onChange={({ target }) => onChange({ side: target.value as 'above' })}
          >
            <MenuItem value="above">above</MenuItem>
            <MenuItem value="below">below</MenuItem>
          </TextField>
        );
      case 'text':
        return stream?.type === 'choice' || stream?.type === 'boolean' ? (
          <TextField
            key={name}
            select
            label="Value"
            value={fields.text}
            onChange={({ target }) => onChange({ text: target.value })}
            {...trouble('text')}
          >
            {(stream.type === 'boolean' ? ['on', 'off'] : stream.choices).map((each) => (
              <MenuItem key={each} value={each}>
                {each}
              </MenuItem>
            ))}
          </TextField>
        ) : (
          <TextField
            key={name}
            label={comparison === 'contains' ? 'Text' : 'Value'}
            value={fields.text}
            onChange={({ target }) => onChange({ text: target.value })}
            {...trouble('text')}
          />
        );
      case 'area':
        return (
          <TextField
            key={name}
            label="Area"
            multiline
            value={fields.area}
            placeholder="53.4105, -1.8702, 500"
            onChange={({ target }) => onChange({ area: target.value })}
            {...trouble('area')}
            helperText={
              trouble('area').helperText ??
              'Latitude, longitude and metres around it; or the corners, a line each.'
            }
            slotProps={{ inputLabel: { shrink: true } }}
          />
        );
      case 'expression':
        return (
          <TextField
            key={name}
            label="Expression"
            value={fields.expression}
            placeholder="level < -200 && battery < 3.4"
            onChange={({ target }) => onChange({ expression: target.value })}
            sx={{ gridColumn: { sm: 'span 2' } }}
            {...trouble('expression')}
            helperText={
              trouble('expression').helperText ??
              `May read ${streams
                .filter((s) => !['text', 'location', 'image', 'colour'].includes(s.type))
                .map(({ key }) => key)
                .join(', ')}.`
            }
            slotProps={{ inputLabel: { shrink: true } }}
          />
        );
      default:
        return (
          <TextField
            key={name}
            label={labelOf(name)}
            type="number"
            value={fields[name]}
            placeholder={name === 'closeLimit' ? 'the limit' : ''}
            onChange={({ target }) => onChange({ [name]: target.value })}
            {...trouble(name)}
            {...SHRUNK}
          />
        );
    }
  };
  return (
    <Box
      role="group"
      aria-label={first ? 'Condition' : 'Another condition'}
      sx={{
        display: 'grid',
        gap: 3,
        gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr 1fr' },
        alignItems: 'start',
      }}
    >
      {!first && (
        <TextField
          select
          label="Of"
          value={fields.device}
          onChange={({ target }) => onChange({ device: target.value })}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">the same device</MenuItem>
          {catalogue.devices.map(({ id, name }) => (
            <MenuItem key={id} value={id}>
              {name}
            </MenuItem>
          ))}
        </TextField>
      )}
      {comparison === 'raised' ? (
        <TextField
          label="Key of the event"
          placeholder="low_battery"
          value={fields.stream}
          onChange={({ target }) => onChange({ stream: target.value })}
          {...trouble('stream')}
          helperText={trouble('stream').helperText ?? 'The program raises and clears it by this key.'}
          slotProps={{ inputLabel: { shrink: true } }}
        />
      ) : (
        fitting.length > 0 && (
          <TextField
            select
            label="Datastream"
            value={stream?.key ?? ''}
            onChange={({ target }) => onChange({ stream: target.value })}
            {...trouble('stream')}
          >
            {fitting.map(({ key, title }) => (
              <MenuItem key={key} value={key}>
                {title}
              </MenuItem>
            ))}
          </TextField>
        )
      )}
      <TextField
        select
        label="Opens when it"
        value={comparison}
        onChange={({ target }) => onChange({ comparison: target.value as 'above' })}
        {...trouble('comparison')}
      >
        {CONDITION_NAMES.filter((name) => first || CONDITION_WORDS[name].watches === 'readings').map(
          (name) => (
            <MenuItem
              key={name}
              value={name}
              disabled={needsStream(name) && streamsFor(name, streams).length === 0}
            >
              {yesOrNo && name === 'above'
                ? 'is on'
                : yesOrNo && name === 'below'
                  ? 'is off'
                  : CONDITION_WORDS[name].title}
            </MenuItem>
          ),
        )}
      </TextField>
      {shown.map(one)}
      {onRemove && (
        <Box sx={{ gridColumn: '1 / -1', mt: -2 }}>
          <Button size="small" variant="text" onClick={onRemove}>
            Take this condition out
          </Button>
        </Box>
      )}
    </Box>
  );
}

const needsStream = (name: ConditionFields['comparison']): boolean =>
  name === 'not-confirmed' ||
  (CONDITION_WORDS[name].watches === 'readings' && (CONDITION_WORDS[name].looks ?? 'stream') === 'stream');
