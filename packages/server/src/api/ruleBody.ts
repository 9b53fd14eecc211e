import {
  CONDITIONS,
  isControllable,
  isRefusal,
  SETTING_NAMES,
  nearestWord,
  readCondition,
  storeCondition,
  takeWanted,
  type ConditionSettings,
  type RuleCondition,
} from '@peatmoor/core';
import type { NewRule, Rule } from '@peatmoor/contract';
import { readRecipients, recipientBy, type Recipient } from '../alerts/channels';
import { wrongField } from '../problems';
import { definitionOf, moreOf } from '../rules/definition';
import type { DeviceRow, KindRow, RuleMore, RuleRow, StreamRow } from '../store/models';
import { listIn, oneIn } from '../store/rows';
import type { Store } from '../store/store';
import { toStream } from './kinds';

type ConditionBody = Pick<NewRule, 'comparison' | 'stream'> & Partial<NewRule>;

/** The settings that its sort knows, of all that a body may have. */
function settingsOf(body: ConditionBody): Record<string, unknown> {
  const sort = CONDITIONS[body.comparison];
  const known = new Set<string>(sort.fields);
  const said = Object.fromEntries(
    SETTING_NAMES.flatMap((name) =>
      known.has(name) && body[name] !== undefined ? [[name, body[name]]] : [],
    ),
  );
  if (sort.watches === 'facts') return { key: body.stream };
  return { ...said, ...(known.has('side') ? {} : { comparison: body.comparison }) };
}

/** A rule as its row, with everything it names found in the workspace. Throws the problem of the first field that is wrong. */
export async function toRuleRow(
  store: Store,
  workspaceId: number,
  body: Omit<NewRule, 'title'> & { title?: string },
): Promise<Omit<RuleRow, 'id' | 'workspaceId' | 'revision'>> {
  const { models } = store;
  const ids = [
    body.deviceId,
    ...body.also.map((one) => one.deviceId),
    ...body.actions.map((one) => one.deviceId),
    ...body.own.map((one) => one.deviceId),
  ];
  const found = new Map(
    (
      await listIn(models.devices, workspaceId, {
        where: { id: ids.filter((id): id is string => typeof id === 'string') },
      })
    ).map((row) => [row.id, row] as const),
  );
  const deviceOf = (id: string, field: string): DeviceRow => {
    const row = found.get(id);
    if (row === undefined)
      throw wrongField(field, `"${id}" is not a device of this workspace`, 'Choose one of its devices.');
    return row;
  };
  const device = body.deviceId === null ? null : deviceOf(body.deviceId, 'deviceId');
  const labelled =
    body.label === null
      ? []
      : (await listIn(models.devices, workspaceId, {})).filter(({ labels }) => labels.includes(body.label!));
  if (body.label !== null && labelled.length === 0)
    throw wrongField('label', `"${body.label}" is on no device`, 'Put it on the devices to watch first.');
  const kindIds = [
    ...new Set(
      device !== null
        ? [device.kindId]
        : body.label === null
          ? [body.kindId!]
          : labelled.map(({ kindId }) => kindId),
    ),
  ];
  const kinds = await listIn(models.kinds, workspaceId, { where: { id: kindIds } });
  if (kinds.length === 0)
    throw wrongField('kindId', `${body.kindId} is not a kind of this workspace`, 'Choose one of its kinds.');
  const streamsOf = async (kindId: number | number[]): Promise<StreamRow[]> =>
    listIn(models.streams, workspaceId, { where: { kindId } });
  const watchedStreams = await streamsOf(kindIds);
  const check = (
    one: ConditionBody,
    streams: readonly StreamRow[],
    kind: KindRow | undefined,
    path: string,
  ): StreamRow | null => {
    const settings = settingsOf(one);
    const { sort } = readCondition(one.comparison, settings)!;
    const looks =
      sort.watches === 'facts' ? (one.comparison === 'raised' ? null : 'stream') : (sort.looks ?? 'stream');
    const stream = streams.find(({ key }) => key === one.stream) ?? null;
    const nearest = nearestWord(
      one.stream ?? '',
      streams.map(({ key }) => key),
    );
    if (looks === 'stream' && stream === null)
      throw wrongField(
        `${path}stream`,
        `"${one.stream}" is not a datastream of ${kind?.title ?? 'these devices'}`,
        nearest === undefined ? 'Choose one of its datastreams.' : `The nearest is "${nearest}".`,
      );
    if (one.comparison === 'not-confirmed' && stream?.follow == null)
      throw wrongField(
        `${path}stream`,
        `"${one.stream}" has nothing that must follow it`,
        'Say in the kind what must follow this control, then watch it.',
      );
    const types = sort.types ?? ['number', 'integer', 'boolean', 'choice'];
    if (looks === 'stream' && one.comparison !== 'not-confirmed' && !types.includes(stream!.type))
      throw wrongField(
        `${path}comparison`,
        `"${sort.title}" cannot be said of ${stream!.title}, which is of type ${stream!.type}`,
        'Choose another condition or another datastream.',
      );
    const wrong = sort.check(
      settings as never,
      stream === null ? undefined : toStream(stream),
      streams.map(toStream),
    );
    if (wrong !== null) throw wrongField(`${path}${wrong.field}`, wrong.reason, wrong.remedy);
    return stream;
  };
  const [kind] = kinds;
  const stream = check(body, watchedStreams, kind, '');
  if (body.also.length > 0)
    for (const [i, one] of [body, ...body.also].entries())
      if (CONDITIONS[one.comparison].watches === 'facts')
        throw wrongField(
          i === 0 ? 'comparison' : `also[${i - 1}].comparison`,
          `"${CONDITIONS[one.comparison].title}" cannot be joined with others`,
          'Make a rule of its own for it.',
        );
  const also: RuleCondition[] = [];
  for (const [i, one] of body.also.entries()) {
    const where = one.deviceId === null ? null : deviceOf(one.deviceId, `also[${i}].deviceId`);
    const streams = where === null ? watchedStreams : await streamsOf(where.kindId);
    check(one as ConditionBody, streams, where === null ? kind : undefined, `also[${i}].`);
    also.push({
      sort: one.comparison,
      settings: storeCondition(one.comparison, settingsOf(one as ConditionBody)),
      stream: one.stream,
      device: where?.rowId ?? null,
    });
  }
  const actions: RuleMore['actions'] = [];
  for (const [i, { on, deviceId, stream: key, value, rank }] of body.actions.entries()) {
    const where = deviceId === null ? null : deviceOf(deviceId, `actions[${i}].deviceId`);
    const reached = where === null ? kinds.map(({ id }) => id) : [where.kindId];
    const streams = where === null ? watchedStreams : await streamsOf(where.kindId);
    for (const kindId of reached) {
      const target = streams.find((one) => one.kindId === kindId && one.key === key);
      if (target === undefined || !isControllable(target))
        throw wrongField(
          `actions[${i}].stream`,
          reached.length === 1
            ? `"${key}" is not a control`
            : `"${key}" is not a control of ${namesOf(labelled.filter((one) => one.kindId === kindId))}`,
          reached.length === 1
            ? 'Choose a datastream that people can set.'
            : 'Choose one that all of them have, name the device, or take the label off those without it.',
        );
      if (on === 'while' && target.holds === 'momentary')
        throw wrongField(
          `actions[${i}].on`,
          `cannot be "while": ${target.title} is momentary, and cannot be held at a value`,
          'Press it when the event opens, or make it a lasting control.',
        );
      const taken = takeWanted(toStream(target), value);
      if (isRefusal(taken))
        throw wrongField(
          `actions[${i}].value`,
          `says "${value}", which cannot be wanted of ${target.title}`,
          taken.hint,
        );
    }
    actions.push({
      on,
      device: where?.rowId ?? null,
      stream: key,
      value,
      ...(on === 'while' && { rank }),
    });
  }
  const own = body.own.map(({ deviceId, limit, leftOut }, i) => ({
    device: deviceOf(deviceId, `own[${i}].deviceId`).rowId,
    limit,
    leftOut,
  }));
  const recipients = await recipientsOf(store, workspaceId, body);
  const { holdMs, closeHoldMs, join, hours, message, repeatMs, escalateMs, escalateTo, mostAlerts } = body;
  return {
    title: body.title ?? '',
    severity: body.severity,
    deviceRowId: device?.rowId ?? null,
    kindId: device === null && body.label === null ? (kind?.id ?? null) : null,
    label: body.label,
    streamKey: stream?.key ?? body.stream,
    sort: body.comparison,
    settings: storeCondition(body.comparison, { ...settingsOf(body), holdMs, closeHoldMs }),
    recipients,
    more: { also, join, hours, message, repeatMs, escalateMs, escalateTo, mostAlerts, actions, own },
    active: body.active,
    holds: actions.some(({ on }) => on === 'while'),
  };
}

/** Some devices in words: three at the most. */
const namesOf = (devices: readonly DeviceRow[]): string =>
  [
    ...devices.slice(0, 3).map(({ name }) => name),
    ...(devices.length > 3 ? [`${devices.length - 3} more`] : []),
  ].join(', ');

async function recipientsOf(
  store: Store,
  workspaceId: number,
  {
    people,
    roles,
    emails,
    webhooks,
    escalateTo,
  }: Pick<NewRule, 'people' | 'roles' | 'emails' | 'webhooks' | 'escalateTo'>,
): Promise<Recipient[]> {
  const named = [...people, ...(escalateTo === null ? [] : [escalateTo])];
  const members =
    named.length === 0
      ? []
      : await store.models.memberships.findAll({ where: { workspaceId, userId: named }, raw: true });
  const known = new Set(members.map((row) => (row as unknown as { userId: number }).userId));
  const stranger = named.find((id) => !known.has(id));
  if (stranger !== undefined)
    throw wrongField(
      stranger === escalateTo ? 'escalateTo' : 'people',
      `${stranger} is nobody of this workspace`,
      'Choose people of the workspace, or give an address.',
    );
  for (const id of webhooks)
    if ((await oneIn(store.models.webhooks, workspaceId, { id })) === null)
      throw wrongField(
        'webhooks',
        `${id} is not a webhook of this workspace`,
        'Make it first, or choose another.',
      );
  return [
    ...people.map((id) => recipientBy('person', id)),
    ...roles.map((role) => recipientBy('role', role)),
    ...emails.map((email) => recipientBy('email', email)),
    ...webhooks.map((id) => recipientBy('webhook', id)),
  ];
}

/** What an answer tells of a rule's row, beside what needs other rows: device IDs by `idOf`. */
export function shownRule(
  row: RuleRow,
  idOf: (rowId: number) => string | undefined,
): Omit<Rule, 'id' | 'deviceId' | 'sentence' | 'openEvents' | 'version'> {
  const { conditions, holdMs, closeHoldMs } = definitionOf(row);
  const { join, hours, message, repeatMs, escalateMs, escalateTo, mostAlerts, actions, own } = moreOf(row);
  const recipients = readRecipients(row.recipients);
  const of = (name: string): string[] =>
    recipients.flatMap(({ channel, to }) => (channel === name ? to : []));
  return {
    title: row.title,
    severity: row.severity,
    kindId: row.kindId,
    label: row.label,
    stream: row.streamKey,
    comparison: row.sort,
    ...shownSettings(conditions[0]!),
    holdMs,
    closeHoldMs,
    also: conditions.slice(1).map((one) => ({
      comparison: one.sort,
      stream: one.stream,
      deviceId: one.device === null ? null : (idOf(one.device) ?? ''),
      ...shownSettings(one),
    })),
    join,
    hours,
    message,
    repeatMs,
    escalateMs,
    escalateTo,
    mostAlerts,
    people: of('person').map(Number),
    roles: of('role') as Rule['roles'],
    emails: of('email'),
    webhooks: of('webhook').map(Number),
    actions: actions.map(({ device, rank = 1, ...one }) => ({
      ...one,
      rank,
      deviceId: device === null ? null : (idOf(device) ?? ''),
    })),
    own: own.flatMap(({ device, limit, leftOut }) => {
      const id = idOf(device);
      return id === undefined ? [] : [{ deviceId: id, limit, leftOut }];
    }),
    active: row.active,
  };
}

/** The settings of a stored condition, brought up to date, as an answer tells them. */
function shownSettings({ sort, settings }: RuleCondition): ConditionSettings {
  const ready = (readCondition(sort, settings)?.settings ?? {}) as ConditionSettings;
  return Object.fromEntries(
    SETTING_NAMES.flatMap((name) => (ready[name] === undefined ? [] : [[name, ready[name]]])),
  );
}
