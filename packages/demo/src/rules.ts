import { createHash } from 'node:crypto';
import { storeCondition, type ConditionName, type ConditionSettings } from '@peatmoor/core';
import {
  addTo,
  findOne,
  insert,
  listIn,
  recipientBy,
  sentenceOf,
  whom,
  type RuleRow,
  type Store,
} from '@peatmoor/server';
import { QUILLMERE_FENCE, type PushCatcher, type QuillmereKind } from '@peatmoor/standins';

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

interface DemoRule {
  title: string;
  severity: 'notice' | 'warning' | 'urgent';
  device?: string;
  kind?: QuillmereKind;
  label?: string;
  stream: string;
  sort: ConditionName;
  settings: ConditionSettings & { holdMs?: number; closeHoldMs?: number; key?: string };
  more?: object;
}

/** The event rules of Quillmere Moss, somebody to help, and what happened in the last weeks. */
export async function addRules(
  store: Store,
  workspaceId: number,
  kinds: Record<QuillmereKind, number>,
): Promise<void> {
  const warden = (await findOne(store.models.memberships, { workspaceId }))!.userId;
  const helper = await addHelper(store, workspaceId);
  const devices = await listIn(store.models.devices, workspaceId);
  const rowOf = (id: string): number => devices.find((one) => one.id === id)!.rowId;
  const rules: DemoRule[] = [
    {
      title: 'Water above the sluice is high',
      severity: 'warning',
      device: 'sluice-mill',
      stream: 'upstream_level',
      sort: 'above',
      settings: { limit: 900, holdMs: 10_000, closeLimit: 850, closeHoldMs: 0 },
    },
    {
      title: 'Peat is drying out',
      severity: 'urgent',
      kind: 'dipwell',
      stream: 'water_level',
      sort: 'below',
      settings: { limit: -350, holdMs: 10 * MINUTE, closeLimit: -330, closeHoldMs: 10 * MINUTE },
      more: {
        message: '{device} is down to {value}: the peat is drying out.',
        repeatMs: 6 * HOUR,
        escalateMs: HOUR,
        escalateTo: helper,
      },
    },
    {
      title: 'Battery is low',
      severity: 'notice',
      label: 'moss',
      stream: 'battery',
      sort: 'below',
      settings: { limit: 3.8, holdMs: MINUTE, closeLimit: 3.85, closeHoldMs: 0 },
    },
    {
      title: 'The sluice does not answer',
      severity: 'urgent',
      device: 'sluice-mill',
      stream: 'opening_wanted',
      sort: 'not-confirmed',
      settings: { key: 'opening_wanted' },
    },
    {
      title: 'Heavy rain opens the sluice',
      severity: 'warning',
      device: 'rain-hut',
      stream: 'rain',
      sort: 'statistic',
      settings: { statistic: 'sum', side: 'above', limit: 8, closeLimit: 5, withinMs: HOUR },
      more: {
        actions: [
          { on: 'opened', device: rowOf('sluice-mill'), stream: 'opening_wanted', value: '60' },
          { on: 'closed', device: rowOf('sluice-mill'), stream: 'opening_wanted', value: '0' },
        ],
      },
    },
    {
      title: 'The rain meter is silent',
      severity: 'warning',
      device: 'rain-hut',
      stream: 'rain',
      sort: 'silent',
      settings: { withinMs: 10 * MINUTE },
    },
    {
      title: 'Bracken is outside the fence',
      severity: 'warning',
      device: 'pony-bracken',
      stream: 'place',
      sort: 'beyond',
      settings: { area: { shape: 'circle', ...QUILLMERE_FENCE } },
    },
    {
      title: 'Visitors unlike usual',
      severity: 'notice',
      device: 'footbridge',
      stream: 'visitors',
      sort: 'unusual',
      settings: { spreads: 8, holdMs: 2 * MINUTE, closeHoldMs: 5 * MINUTE },
      more: { hours: { days: [1, 2, 3, 4, 5, 6, 7], from: 7 * 60, to: 21 * 60 } },
    },
  ];
  const ids = new Map<string, RuleRow>();
  for (const { title, severity, device, kind, label, stream, sort, settings, more = {} } of rules) {
    const limit = sort === 'above' || sort === 'below' ? { comparison: sort, closeLimit: null } : {};
    const row = await addTo(store.models.rules, workspaceId, {
      title,
      severity,
      deviceRowId: device === undefined ? null : rowOf(device),
      kindId: kind === undefined ? null : kinds[kind],
      label: label ?? null,
      streamKey: stream,
      sort,
      settings: storeCondition(sort, { ...limit, ...settings }),
      recipients: [recipientBy('person', warden)],
      more,
      active: true,
    });
    ids.set(title, row);
  }
  const now = Date.now();
  const past: [
    title: string,
    device: string,
    ago: number,
    lasted: number,
    value: number,
    extreme: number,
    remark: string,
  ][] = [
    ['Peat is drying out', 'dipwell-south', 9 * DAY, 14 * HOUR, -352, -371, 'Opened the sluice by hand.'],
    ['Water above the sluice is high', 'sluice-mill', 5 * DAY, 3 * HOUR, 903, 961, ''],
    ['Battery is low', 'dipwell-bridge', 3 * DAY, 26 * HOUR, 3.79, 3.71, 'New cells put in.'],
    ['Heavy rain opens the sluice', 'rain-hut', 2 * DAY, 80 * MINUTE, 8.2, 11.4, ''],
  ];
  for (const [title, device, ago, lasted, value, extreme, remark] of past) {
    const rule = rules.find((one) => one.title === title)!;
    const entry = devices.find(({ id }) => id === device)!;
    const row = ids.get(title)!;
    const streams = await listIn(store.models.streams, workspaceId, { where: { kindId: entry.kindId } });
    const kindTitle = rule.kind ?? '';
    const openedAt = now - ago;
    await addTo(store.models.events, workspaceId, {
      ruleId: row.id,
      deviceRowId: entry.rowId,
      title,
      sentence: sentenceOf(row, whom(row, { name: entry.name, kindTitle }), streams, () => undefined),
      severity: rule.severity,
      deviceName: entry.name,
      deviceId: device,
      streamKey: rule.stream,
      openedAt,
      closedAt: openedAt + lasted,
      value,
      extreme,
      acknowledgedAt: remark === '' ? null : openedAt + 20 * MINUTE,
      acknowledgedBy: remark === '' ? '' : 'Warden',
      remark,
      closedBy: '',
      remindAt: null,
      escalateAt: null,
    });
  }
}

/** A phone of the warden that takes push messages; made anew at each start, as its keys live in the catcher. */
export async function addPhone(store: Store, email: string, phones: PushCatcher): Promise<void> {
  const user = await findOne(store.models.users, { email });
  if (user === null) return;
  const name = "Warden's phone (simulated)";
  await store.models.pushPlaces.destroy({ where: { userId: user.id, name } });
  const { endpoint, keys } = phones.subscribe(name);
  await insert(store.models.pushPlaces, {
    userId: user.id,
    endpointHash: createHash('sha256').update(endpoint).digest(),
    endpoint,
    secrets: keys,
    name,
    createdAt: Date.now(),
    deliveredAt: null,
  });
}

/** Somebody who may steer, and is told where the warden does not answer. */
async function addHelper(store: Store, workspaceId: number): Promise<number> {
  const user = await insert(store.models.users, {
    email: 'ranger@quillmere.example',
    name: 'Ranger',
    // Nobody signs in by this: it is no hash of any password.
    passwordHash: '-',
    createdAt: Date.now(),
    units: 'metric',
    choices: {},
    alertChoices: {},
  });
  await insert(store.models.memberships, { workspaceId, userId: user.id, role: 'operator' });
  return user.id;
}
