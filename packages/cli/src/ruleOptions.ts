import type { Command } from 'commander';
import { CONDITIONS, readSetTime, showDuration, type ConditionSettings } from '@peatmoor/core';
import { ApiError, type Client, type Rule, type RuleIn } from '@peatmoor/contract';
import { kindByName } from './kindByName';
import { readDuration, readNumber } from './output';
import { personByName } from './personByName';
import { UsageError } from './settings';

/** What may be said of a rule on the command line. */
export interface RuleOptions {
  device?: string;
  kind?: string;
  label?: string;
  above?: string;
  below?: string;
  between?: string[];
  outside?: string[];
  equals?: string;
  changes?: boolean;
  rises?: string;
  falls?: string;
  mean?: string;
  sum?: string;
  count?: string;
  spread?: string;
  lowest?: string;
  highest?: string;
  silent?: string;
  unchanged?: string;
  unusual?: string;
  inside?: string;
  beyond?: string;
  contains?: string;
  offline?: boolean;
  online?: boolean;
  firstSeen?: boolean;
  refused?: string;
  notConfirmed?: boolean;
  raised?: boolean;
  expression?: string;
  within?: string;
  back?: string;
  for: string;
  backFor: string;
  margin?: string;
  hours?: string;
  message?: string;
  remind?: string;
  escalate?: string[];
  most?: string;
  email?: string[];
  person?: string[];
  role?: string[];
  webhook?: string[];
  set?: string[];
  setBack?: string[];
  hold?: string[];
  place?: string;
  severity: string;
  title?: string;
}

/** Adds to a command how a rule is said. */
export function withRuleOptions(command: Command): Command {
  return command
    .option('--device <device>', 'watch one device')
    .option('--kind <kind>', 'watch every device of a kind')
    .option('--label <label>', 'watch every device with a label')
    .option('--above <limit>', 'opens when the value is above')
    .option('--below <limit>', 'opens when the value is below')
    .option('--between <values...>', 'when it lies between two values')
    .option('--outside <values...>', 'when it lies outside two values')
    .option('--equals <value>', 'when it is just this')
    .option('--changes', 'when it is another than before')
    .option('--rises <amount>', 'when it rises by so much --within a time')
    .option('--falls <amount>', 'when it falls by so much --within a time')
    .option(
      '--mean <limit>',
      'when its mean --within a time is above (>4) or below (<4) a limit; the same for the next five',
    )
    .option('--sum <limit>', 'the sum')
    .option('--count <limit>', 'the number of readings')
    .option('--spread <limit>', 'the standard deviation')
    .option('--lowest <limit>', 'the lowest')
    .option('--highest <limit>', 'the highest')
    .option('--silent <time>', 'when it has no reading for so long')
    .option('--unchanged <time>', 'when it stays the same for so long')
    .option('--unusual <spreads>', 'when it is so many spreads from what is usual at that hour')
    .option('--inside <place>', 'when it is inside lat,lon,metres')
    .option('--beyond <place>', 'when it is beyond lat,lon,metres')
    .option('--contains <text>', 'when its text contains this')
    .option('--offline', 'when the device loses its connection')
    .option('--online', 'when it connects')
    .option('--first-seen', 'when a device is seen for the first time')
    .option('--refused <count>', 'when more messages than this are refused --within a time')
    .option('--not-confirmed', 'when what must follow this control is not measured in its time')
    .option('--raised', 'the device opens and closes it itself, by the key given instead of a datastream')
    .option(
      '--expression <formula>',
      'when a formula over datastreams is true, such as "level < -200 && battery < 3.4"',
    )
    .option('--within <time>', 'how long a window is')
    .option('--for <time>', 'only after it stayed so for', '0s')
    .option('--back <limit>', 'closes when the value is back at')
    .option('--back-for <time>', 'and stayed so for', '0s')
    .option('--margin <value>', 'closes when it is back by so much')
    .option('--hours <hours>', 'opens only then, such as "mon-fri 22:00-06:00"')
    .option('--message <text>', 'text of its alerts; {value}, {device} and others are filled in')
    .option('--remind <time>', 'reminds so often until it is acknowledged or closed')
    .option(
      '--escalate <time-and-person...>',
      'not acknowledged for so long, this person is told: --escalate 15min warden',
    )
    .option('--most <count>', 'alerts to one person within an hour', '12')
    .option('--email <email...>', 'who is alerted: addresses')
    .option('--person <name...>', 'people of the workspace, by name or email')
    .option('--role <role...>', 'everybody of a role')
    .option('--webhook <title...>', 'webhooks')
    .option('--set <control=value...>', 'what is wanted when it opens: opening=60, or sluice-mill/opening=60')
    .option('--set-back <control=value...>', 'what is wanted when it closes')
    .option(
      '--hold <control=value...>',
      'what a control is held at as long as it is open: other wanted values are refused',
    )
    .option('--place <number>', 'place of --hold among those that hold the same control; 1 goes first')
    .option('--severity <severity>', 'notice, warning or urgent', 'warning')
    .option('--title <title>', 'a name for it');
}

type Said = { comparison: RuleIn['comparison'] } & ConditionSettings;

function twoOf(values: string[], option: string): { low: number; high: number } {
  const [low, high, ...more] = values.flatMap((one) => one.split(/[\s,]+/)).filter(Boolean);
  if (low === undefined || high === undefined || more.length > 0)
    throw new UsageError(`${option} needs two values, such as ${option} 4 9.`);
  return { low: readNumber(low, option), high: readNumber(high, option) };
}

function circleOf(text: string, option: string): ConditionSettings['area'] {
  const [lat, lon, metres] = text.split(/[\s,]+/).map((part) => readNumber(part, option));
  if (lat === undefined || lon === undefined || metres === undefined)
    throw new UsageError(`${option} needs lat,lon,metres, such as 53.41,-1.87,500.`);
  return { shape: 'circle', lat, lon, metres };
}

/** The one condition that was said, of all that can be. */
function conditionOf(options: RuleOptions): Said {
  const within = options.within === undefined ? {} : { withinMs: readDuration(options.within) };
  const said: Said[] = [];
  const add = (one: Said | false | undefined): void => void (one && said.push(one));
  const close = options.back === undefined ? {} : { closeLimit: readNumber(options.back, '--back') };
  const margin = options.margin === undefined ? {} : { margin: readNumber(options.margin, '--margin') };
  for (const side of ['above', 'below'] as const) {
    const text = options[side];
    if (text !== undefined) add({ comparison: side, limit: readNumber(text, 'The limit'), ...close });
  }
  for (const side of ['between', 'outside'] as const) {
    const values = options[side];
    if (values !== undefined) add({ comparison: side, ...twoOf(values, `--${side}`), ...margin });
  }
  for (const way of ['rises', 'falls'] as const) {
    const amount = options[way];
    if (amount !== undefined) add({ comparison: way, amount: readNumber(amount, `--${way}`), ...within });
  }
  for (const statistic of ['mean', 'sum', 'count', 'spread', 'lowest', 'highest'] as const) {
    const text = options[statistic];
    if (text === undefined) continue;
    const found = /^([<>])\s*(\S+)$/.exec(text.trim());
    if (found === null)
      throw new UsageError(`--${statistic} needs > or < and a limit, such as "--${statistic} >8".`);
    add({
      comparison: 'statistic',
      statistic,
      side: found[1] === '>' ? 'above' : 'below',
      limit: readNumber(found[2]!, `--${statistic}`),
      ...within,
      ...close,
    });
  }
  for (const sort of ['silent', 'unchanged'] as const) {
    const time = options[sort];
    if (time !== undefined) add({ comparison: sort, withinMs: readDuration(time) });
  }
  for (const side of ['inside', 'beyond'] as const) {
    const place = options[side];
    if (place !== undefined) add({ comparison: side, area: circleOf(place, `--${side}`)! });
  }
  if (options.equals !== undefined) add({ comparison: 'equals', text: options.equals });
  if (options.contains !== undefined) add({ comparison: 'contains', text: options.contains });
  if (options.unusual !== undefined)
    add({ comparison: 'unusual', spreads: readNumber(options.unusual, '--unusual') });
  if (options.refused !== undefined)
    add({ comparison: 'refused', limit: readNumber(options.refused, '--refused'), ...within });
  if (options.expression !== undefined) add({ comparison: 'expression', expression: options.expression });
  if (options.changes) add({ comparison: 'changes', ...within });
  for (const [option, comparison] of [
    ['offline', 'offline'],
    ['online', 'online'],
    ['firstSeen', 'first-seen'],
    ['notConfirmed', 'not-confirmed'],
    ['raised', 'raised'],
  ] as const)
    if (options[option]) add({ comparison });
  const [one, ...more] = said;
  if (one === undefined)
    throw new UsageError(
      'Say when it opens: --above, --below, --between, --silent, --raised or another; see --help.',
    );
  if (more.length > 0) throw new UsageError('Say one condition; several are joined in the console.');
  return one;
}

function hoursOf(text: string): Rule['hours'] {
  const found = /^(.*?)(\d{1,2}:\d{2})\s*-\s*(\d{1,2}:\d{2})$/.exec(text.trim());
  const set = (time: string) => (found === null ? null : readSetTime(`${found[1]!.trim()} ${time}=1`.trim()));
  const [from, to] = [set(found?.[2] ?? ''), set(found?.[3] ?? '')];
  if (from === null || to === null)
    throw new UsageError('--hours is written like "mon-fri 22:00-06:00" or "08:00-18:00".');
  return { days: from.days, from: from.minutes, to: to.minutes };
}

function actionsOf(
  texts: string[] | undefined,
  on: 'opened' | 'closed' | 'while',
  device: string | undefined,
) {
  return (texts ?? []).map((text) => {
    const found = /^(?:([\w-]+)\/)?([\w-]+)=(.*)$/.exec(text);
    if (found === null) throw new UsageError(`"${text}" is not control=value, such as opening=60.`);
    return { on, deviceId: found[1] ?? device ?? null, stream: found[2]!, value: found[3]! };
  });
}

/** Reads what was said into the body of a rule. */
export async function ruleOf(
  client: Client,
  stream: string | undefined,
  options: RuleOptions,
): Promise<RuleIn> {
  if ([options.device, options.kind, options.label].filter((one) => one !== undefined).length !== 1)
    throw new UsageError('Give one of --device, --kind and --label.');
  const condition = conditionOf(options);
  const { looks } = CONDITIONS[condition.comparison];
  if (stream === undefined && looks === undefined)
    throw new UsageError('Name the datastream, or the key of the event.');
  const personOf = async (name: string): Promise<number> => {
    const { userId } = await personByName(client, name);
    // Who has not joined yet cannot be alerted.
    if (userId === null) throw new UsageError(`"${name}" has not joined yet, so nobody could be alerted.`);
    return userId;
  };
  const hooks = options.webhook === undefined ? [] : await client.call('listWebhooks');
  const webhooks = (options.webhook ?? []).map((title) => {
    const found = hooks.find((one) => one.title.toLowerCase() === title.toLowerCase());
    if (found === undefined)
      throw new UsageError(
        `There is no webhook "${title}"; there are ${hooks.map((one) => one.title).join(', ') || 'none'}.`,
      );
    return found.id;
  });
  const [after, ...name] = options.escalate ?? [];
  return {
    title: options.title ?? autoTitle(stream, condition),
    severity: options.severity as 'warning',
    deviceId: options.device ?? null,
    kindId: options.kind === undefined ? null : (await kindByName(client, options.kind)).id,
    label: options.label ?? null,
    ...(stream !== undefined && { stream }),
    ...condition,
    holdMs: readDuration(options.for),
    closeHoldMs: readDuration(options.backFor),
    hours: options.hours === undefined ? null : hoursOf(options.hours),
    message: options.message ?? '',
    repeatMs: options.remind === undefined ? null : readDuration(options.remind),
    escalateMs: after === undefined ? null : readDuration(after),
    escalateTo: after === undefined ? null : await personOf(name.join(' ')),
    mostAlerts: readNumber(options.most ?? '12', '--most'),
    emails: options.email ?? [],
    people: await Promise.all((options.person ?? []).map(personOf)),
    roles: (options.role ?? []) as RuleIn['roles'] & string[],
    webhooks,
    actions: [
      ...actionsOf(options.set, 'opened', undefined),
      ...actionsOf(options.setBack, 'closed', undefined),
      ...actionsOf(options.hold, 'while', undefined).map((one) => ({
        ...one,
        rank: readNumber(options.place ?? '1', '--place'),
      })),
    ],
  } as RuleIn;
}

/** What each field of a rule is called on the command line. */
const OPTIONS: Record<string, string> = {
  limit: 'the limit',
  low: 'the lower value',
  high: 'the upper value',
  amount: 'the amount',
  spreads: '--unusual',
  text: 'the text',
  area: 'the place',
  closeLimit: '--back',
  margin: '--margin',
  holdMs: '--for',
  closeHoldMs: '--back-for',
  withinMs: '--within',
  hours: '--hours',
  repeatMs: '--remind',
  escalateMs: '--escalate',
  escalateTo: '--escalate',
  mostAlerts: '--most',
  emails: '--email',
  expression: '--expression',
  message: '--message',
  title: '--title',
  severity: '--severity',
  deviceId: '--device',
  label: '--label',
  actions: '--set',
};

/** Awaits a call about a rule; what is refused is said of the option that was given, and times with their units. */
export async function asOptions<T>(call: Promise<T>): Promise<T> {
  try {
    return await call;
  } catch (error) {
    const first = error instanceof ApiError ? error.problem.errors?.[0] : undefined;
    const field = first?.field.replace(/^rule\./, '') ?? '';
    const option = OPTIONS[/^\w+/.exec(field)?.[0] ?? ''];
    if (first === undefined || option === undefined) throw error;
    const reason = field.endsWith('Ms')
      ? first.reason.replace(/\d+/, (number) => showDuration(Number(number)))
      : first.reason;
    throw new UsageError(`${option} ${reason.replace(/\.$/, '')}. ${first.remedy}`);
  }
}

/** The name of a rule to which nobody gave one. */
export function autoTitle(
  stream: string | null | undefined,
  { comparison, limit }: { comparison: Said['comparison']; limit?: number | null },
): string {
  const { title } = CONDITIONS[comparison];
  if (comparison === 'raised') return stream!;
  if (comparison === 'not-confirmed') return `${stream} not confirmed`;
  return [stream, limit === undefined || limit === null ? title : `${comparison} ${limit}`]
    .filter(Boolean)
    .join(' ')
    .slice(0, 80);
}
