import { randomBytes } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { nextDue } from '@peatmoor/core';
import {
  addTo,
  changeIn,
  createAccount,
  createDevice,
  createKind,
  inRawTransaction,
  listIn,
  mergeIntoChunks,
  writeOthers,
  type OtherReading,
  type Store,
} from '@peatmoor/server';
import {
  QUILLMERE_DEVICES,
  QUILLMERE_KINDS,
  quillmereHistory,
  quillmereOthers,
  type QuillmereKind,
} from '@peatmoor/standins';
import { addDashboards } from './dashboards';
import { addRules } from './rules';

/** What the demo must remember between starts: its account, and the tokens of its simulated boards. */
export interface DemoFacts {
  email: string;
  password: string;
  tokens: Record<string, string>;
}

const factsFile = (dataFolder: string): string => path.join(dataFolder, 'demo.json');

/** Fills an empty service with Quillmere Moss; on one that has it already, only reads the facts. */
export async function seedQuillmere(
  store: Store,
  dataFolder: string,
  say: (text: string) => void,
): Promise<DemoFacts> {
  const file = factsFile(dataFolder);
  if (fs.existsSync(file)) {
    say('Keeping the demo data that is there (start with --fresh for new).');
    return JSON.parse(fs.readFileSync(file, 'utf8')) as DemoFacts;
  }
  say('Making the account, the kinds and the devices of Quillmere Moss …');
  const email = 'warden@quillmere.example';
  const password = `moss-${randomBytes(6).toString('base64url')}`;
  const { workspaceId } = await createAccount(store, {
    email,
    password,
    name: 'Warden',
    workspace: 'Quillmere Moss',
  });
  const kinds = {} as Record<QuillmereKind, number>;
  for (const [name, kind] of Object.entries(QUILLMERE_KINDS))
    kinds[name as QuillmereKind] = (
      await store.transaction((transaction) =>
        createKind(store, workspaceId, structuredClone(kind) as never, transaction),
      )
    ).id;
  const tokens: Record<string, string> = {};
  for (const { id, name, kind, labels = [], gateway, serial } of QUILLMERE_DEVICES)
    tokens[id] = (
      await createDevice(store, workspaceId, {
        id,
        name,
        kindId: kinds[kind],
        labels,
        ...(gateway !== undefined && { gateway }),
        ...(serial !== undefined && { serial }),
      })
    ).token;
  say('Making thirty days of history …');
  await fillHistory(store, workspaceId);
  await addRules(store, workspaceId, kinds);
  await addDashboards(store, workspaceId, kinds.sluice);
  await addRemarks(store, workspaceId);
  const facts = { email, password, tokens };
  fs.writeFileSync(file, JSON.stringify(facts), { mode: 0o600 });
  return facts;
}

async function fillHistory(store: Store, workspaceId: number): Promise<void> {
  const devices = await listIn(store.models.devices, workspaceId);
  const streams = await listIn(store.models.streams, workspaceId);
  const now = Date.now();
  const bySeries = new Map<number, { times: number[]; values: number[] }>();
  for (const { device, key, times, values } of quillmereHistory(now)) {
    const row = devices.find(({ id }) => id === device)!;
    const stream = streams.find((one) => one.key === key && one.kindId === row.kindId)!;
    const series = await addTo(store.models.series, workspaceId, {
      deviceRowId: row.rowId,
      streamId: stream.id,
      newestAt: null,
      newestValue: null,
    });
    bySeries.set(series.id, { times, values });
  }
  await inRawTransaction(store, (connection) => mergeIntoChunks(connection, bySeries));
  const seriesOf = async (device: string, key: string): Promise<number> => {
    const row = devices.find(({ id }) => id === device)!;
    const stream = streams.find((one) => one.key === key && one.kindId === row.kindId)!;
    const where = { deviceRowId: row.rowId, streamId: stream.id };
    const known = await listIn(store.models.series, workspaceId, { where });
    return (
      known[0] ??
      (await addTo(store.models.series, workspaceId, { ...where, newestAt: null, newestValue: null }))
    ).id;
  };
  const others: OtherReading[] = [];
  for (const { device, key, at, value } of quillmereOthers(now)) {
    const series = await seriesOf(device, key);
    others.push({
      series,
      at,
      bytes: 0,
      value:
        value instanceof Uint8Array
          ? { type: 'image/png', size: value.length, bytes: value }
          : { ...value, alt: null },
    });
  }
  await inRawTransaction(store, (connection) => writeOthers(connection, others));
  // What is computed is worked out over this history once the service runs.
  for (const stream of streams.filter(({ computation }) => computation))
    for (const { rowId, id } of devices.filter(({ kindId }) => kindId === stream.kindId))
      await addTo(store.models.recomputations, workspaceId, {
        deviceRowId: rowId,
        streamId: stream.id,
        seriesId: await seriesOf(id, stream.key),
        fromAt: null,
        state: 'waiting',
        doneDays: 0,
        days: 0,
        note: '',
        userName: 'Warden',
        madeAt: now,
        endedAt: null,
      });
  for (const { rowId, createdAt } of devices) {
    const first = createdAt - 30 * 86_400_000;
    const proof = {
      seenAt: first,
      tokenRightAt: first,
      connectedAt: first,
      firstReadingAt: first,
      trouble: null,
    };
    await changeIn(
      store.models.devices,
      workspaceId,
      { rowId },
      { proof, createdAt: first, lastSeenAt: now - 60_000 },
    );
  }
}

/** Where the made-up moss lies, and its clock. */
const MOSS = { lat: 53.42, lon: -1.86 };
const ZONE = 'Europe/London';

/** Where the moss is, what somebody noted, and when the gate is to stand how. */
async function addRemarks(store: Store, workspaceId: number): Promise<void> {
  const now = Date.now();
  await store.models.workspaces.update(
    { zone: ZONE, lat: MOSS.lat, lon: MOSS.lon },
    { where: { id: workspaceId } },
  );
  const deviceOf = async (id: string) =>
    (await listIn(store.models.devices, workspaceId, { where: { id } }))[0]!;
  for (const [device, hoursAgo, text] of [
    ['sluice-mill', 5, 'Branch taken out of the gate'],
    ['dipwell-north', 30, 'Sensor cleaned'],
    ['dipwell-south', 31, 'Radio stood under water'],
  ] as const)
    await addTo(store.models.notes, workspaceId, {
      deviceRowId: (await deviceOf(device)).rowId,
      at: now - hoursAgo * 3_600_000,
      text,
      userName: 'Warden',
    });
  const sluice = await deviceOf('sluice-mill');
  const opening = (
    await listIn(store.models.streams, workspaceId, {
      where: { kindId: sluice.kindId, key: 'opening_wanted' },
    })
  )[0]!;
  const times = [
    { days: [1, 2, 3, 4, 5, 6, 7], base: 'sunset' as const, minutes: 30, value: '10' },
    { days: [1, 2, 3, 4, 5], base: 'clock' as const, minutes: 450, value: '40' },
  ];
  await addTo(store.models.timetables, workspaceId, {
    deviceRowId: sluice.rowId,
    streamId: opening.id,
    title: 'Night and day',
    times,
    catchUp: false,
    active: true,
    nextAt: nextDue(times, now, { zone: ZONE, sun: MOSS })?.at ?? null,
    note: '',
  });
}
