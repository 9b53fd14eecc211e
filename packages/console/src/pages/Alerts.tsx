import { Box, Button, Checkbox, FormControlLabel, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import {
  PERSONAL_CHANNELS,
  SEVERITIES,
  STAND_INS,
  type AlertChoices,
  type AlertsOfMe,
  type PersonalChannel,
  type StandIn,
} from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Test } from '../alerts/Test';
import { Addresses, Webhooks } from '../alerts/Webhooks';
import { addThisBrowser, pushTrouble, thisBrowser } from '../alerts/push';
import { useChoices, type PutChoices } from '../alerts/useChoices';
import { useAsk } from '../parts/Ask';
import { ClockField } from '../parts/ClockField';
import { Heading, Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { showAgo, showClock } from '../parts/time';
import { ink } from '../theme';
import { serviceNow } from '../live/clock';

const WORDS: Record<PersonalChannel, string> = {
  email: 'Email',
  push: 'Phones and browsers',
  screen: 'Open pages, with a sound',
};
const PAUSES: [string, number][] = [
  ['1 h', 3_600_000],
  ['8 h', 28_800_000],
  ['a day', 86_400_000],
  ['a week', 604_800_000],
];

const LONGEST_UNASKED_MS = 86_400_000;
/** What quiet hours are until somebody says otherwise, in minutes after midnight. */
const NIGHT = { from: 22 * 60, to: 7 * 60 };

/** How you are alerted: by what for each severity, when not, on which phones; and what alerts can go to beside people. */
export function Alerts(): ReactNode {
  const read = useRead('readMyAlerts');
  const me = useRead('me').data;
  const mine = read.data;
  if (mine === undefined || me === undefined) return <Notice error={read.error} />;
  return (
    <>
      <Heading title="Your alerts" below="How you are reached, whatever rule alerts you." />
      <Choices mine={mine} zone={me.workspace.zone} />
      <Phones mine={mine} />
      <Webhooks />
      <Addresses />
    </>
  );
}

function Choices({ mine, zone }: { mine: AlertsOfMe; zone: string }): ReactNode {
  const { choices, put, error } = useChoices(mine.choices);
  const ask = useAsk();
  const now = serviceNow();
  /** For more than a day it is asked once more: who forgets it hears of nothing. */
  const pause = async (words: string, ms: number): Promise<void> => {
    const yes =
      ms <= LONGEST_UNASKED_MS ||
      (await ask({
        title: `Hear of nothing for ${words}?`,
        text: 'No alert comes to you until then, urgent ones neither. What opens meanwhile and is still open is told when it is over.',
        action: `Pause for ${words}`,
      }));
    if (yes) put(() => ({ pausedUntil: serviceNow() + ms }));
  };
  const paused = choices.pausedUntil !== null && choices.pausedUntil > now;
  return (
    <>
      <Box component="table" sx={{ borderCollapse: 'collapse', width: '100%', maxWidth: 720 }}>
        <thead>
          <tr>
            <td />
            {SEVERITIES.map((severity) => (
              <Box
                component="th"
                key={severity}
                scope="col"
                sx={{
                  fontWeight: 500,
                  color: severity === 'urgent' ? ink.rowan : ink.soft,
                  px: { xs: 0.25, sm: 1 },
                  py: 1,
                }}
              >
                {severity}
              </Box>
            ))}
            <td />
          </tr>
        </thead>
        <tbody>
          {PERSONAL_CHANNELS.map((channel) => (
            <Box component="tr" key={channel} sx={{ borderTop: `1px solid ${ink.faint}` }}>
              <Box component="th" scope="row" sx={{ textAlign: 'left', fontWeight: 500, py: 0.5 }}>
                {WORDS[channel]}
              </Box>
              {SEVERITIES.map((severity) => (
                <Box component="td" key={severity} sx={{ textAlign: 'center' }}>
                  <Checkbox
                    checked={choices.channels[severity].includes(channel)}
                    slotProps={{ input: { 'aria-label': `${WORDS[channel]} for ${severity}` } }}
                    onChange={(_event, on) =>
                      put(({ channels }) => {
                        const others = channels[severity].filter((one) => one !== channel);
                        return { channels: { ...channels, [severity]: on ? [...others, channel] : others } };
                      })
                    }
                  />
                </Box>
              ))}
              <Box component="td" sx={{ textAlign: 'right' }}>
                <Test channel={channel} />
              </Box>
            </Box>
          ))}
        </tbody>
      </Box>
      <Ways choices={choices} put={put} />
      {mine.mailTrouble && <Notice>{mine.mailTrouble}</Notice>}
      <Notice error={error} />
      <Section
        title="Quiet"
        note={`By the clock of ${zone}. Urgent ones pass; the others are gathered to the end.`}
      >
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}>
          <FormControlLabel
            control={
              <Checkbox
                checked={choices.quiet !== null}
                onChange={(_event, on) => put(() => ({ quiet: on ? NIGHT : null }))}
              />
            }
            label="quiet hours"
          />
          {choices.quiet !== null &&
            (['from', 'to'] as const).map((name) => (
              <ClockField
                key={name}
                label={name === 'from' ? 'From' : 'To'}
                value={choices.quiet![name]}
                onLeaving
                onChange={(minutes) =>
                  put(({ quiet }) => ({ quiet: { ...NIGHT, ...quiet, [name]: minutes } }))
                }
              />
            ))}
        </Box>
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'center', mt: 1 }}>
          {paused ? (
            <>
              Nothing at all until {showClock(choices.pausedUntil!, now)}.
              <Button size="small" onClick={() => put(() => ({ pausedUntil: null }))}>
                Alert me again
              </Button>
            </>
          ) : (
            <>
              Nothing at all for
              {PAUSES.map(([words, ms]) => (
                <Button key={ms} size="small" onClick={() => void pause(words, ms)}>
                  {words}
                </Button>
              ))}
            </>
          )}
        </Box>
        <FormControlLabel
          sx={{ mt: 1 }}
          control={
            <Checkbox checked={choices.weekly} onChange={(_event, weekly) => put(() => ({ weekly }))} />
          }
          label="an email every Monday that says whether all is well, so that its absence is noticed"
        />
      </Section>
    </>
  );
}

const WAY_WORDS: Record<StandIn, string> = { push: 'phones and browsers', email: 'email' };
const MINUTES = [1, 2, 5, 10, 15, 30, 60];

const sentenceStart = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** The ways that stand in for one another, in the order in which they do, and after how long. */
function Ways({ choices: { ways }, put }: { choices: AlertChoices; put: PutChoices }): ReactNode {
  const [first, second] = STAND_INS;
  const orders: StandIn[][] = [[first, second], [second, first], [first], [second], []];
  const words = (order: readonly StandIn[]): string =>
    order.length === 0
      ? 'Nothing stands in'
      : sentenceStart(order.map((way) => WAY_WORDS[way]).join(', then '));
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, mt: 2 }}>
      <TextField
        select
        label="Where that does not get through"
        value={ways.order.join()}
        onChange={({ target }) =>
          put(({ ways }) => ({
            ways: { ...ways, order: target.value === '' ? [] : (target.value.split(',') as StandIn[]) },
          }))
        }
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        sx={{ width: { xs: '100%', sm: 340 } }}
      >
        {orders.map((order) => (
          <MenuItem key={order.join()} value={order.join()}>
            {words(order)}
          </MenuItem>
        ))}
      </TextField>
      {ways.order.length > 0 && (
        <TextField
          select
          label="Nobody has taken it for"
          value={ways.minutes}
          onChange={({ target }) => put(({ ways }) => ({ ways: { ...ways, minutes: Number(target.value) } }))}
          sx={{ width: { xs: '100%', sm: 200 } }}
        >
          {[...new Set([...MINUTES, ways.minutes])]
            .sort((a, b) => a - b)
            .map((minutes) => (
              <MenuItem key={minutes} value={minutes}>
                {minutes} min
              </MenuItem>
            ))}
        </TextField>
      )}
      <Typography color="textSecondary" variant="body2" sx={{ flexBasis: '100%' }}>
        What is refused for good goes the next way at once. Owners are told, once.
      </Typography>
    </Box>
  );
}

/** Phones and browsers that take alerts, this one first. */
function Phones({ mine }: { mine: AlertsOfMe }): ReactNode {
  const add = useChange('addPushPlace', ['readMyAlerts']);
  const remove = useChange('removePushPlace', ['readMyAlerts']);
  const [failure, setFailure] = useState<string | null>(null);
  const [here, setHere] = useState<string | null>(null);
  const trouble = pushTrouble();
  const now = serviceNow();
  const begin = async (): Promise<void> => {
    setFailure(null);
    try {
      const { place, mark } = await addThisBrowser(mine.pushKey);
      add.mutate({ body: place }, { onSuccess: () => setHere(mark) });
    } catch (error) {
      setFailure((error as Error).message);
    }
  };
  return (
    <Section title="Phones and browsers" note="What takes alerts while no page is open.">
      {mine.places.map(({ id, name, createdAt, deliveredAt, mark }) => (
        <Box
          key={id}
          data-phone={id}
          sx={{
            display: 'flex',
            flexWrap: 'wrap',
            gap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 0.75,
          }}
        >
          <Box sx={{ flex: '1 1 220px' }}>
            {name}
            {mark === here && ' (this one)'}
            <Box sx={{ color: ink.soft, fontSize: '0.9rem' }}>
              added {showAgo(createdAt, now)},{' '}
              {deliveredAt === null ? 'nothing delivered yet' : `last alert ${showAgo(deliveredAt, now)}`}
            </Box>
          </Box>
          <Test channel="push" id={id} />
          <Button size="small" variant="text" onClick={() => remove.mutate({ params: { phone: id } })}>
            Remove
          </Button>
        </Box>
      ))}
      {mine.places.length === 0 && <Typography color="textSecondary">None yet.</Typography>}
      {trouble !== null ? (
        <Notice tone="plain">{trouble}</Notice>
      ) : (
        <Button sx={{ mt: 1 }} disabled={add.isPending} onClick={() => void begin()}>
          Alert me on {thisBrowser()}
        </Button>
      )}
      {failure !== null && <Notice>{failure}</Notice>}
      <Notice error={add.error ?? remove.error} />
    </Section>
  );
}
