import fs from 'node:fs';
import net from 'node:net';
import path from 'node:path';
import { pino } from 'pino';
import { createAccount } from '../src/auth/accounts';
import { createBus } from '../src/bus';
import { startManagedDatabase, type ManagedDatabase } from '../src/database/managed';
import { createDevice } from '../src/definitions/device';
import { createRegistry } from '../src/registry';
import { changeIn } from '../src/store/rows';
import { openStore, type Store } from '../src/store/store';
import { newFolder } from '../../../test/support/service';

const log = pino({ level: 'silent' });
let folder: string;
let database: ManagedDatabase;
let store: Store;
let workspaceId: number;

beforeAll(async () => {
  folder = newFolder();
  database = await startManagedDatabase(folder, log);
  store = await openStore(database, log);
  const account = { email: 'warden@quillmere.example', password: 'bog cotton and peat', name: 'Warden' };
  ({ workspaceId } = await createAccount(store, { ...account, workspace: 'Moss' }));
});
afterAll(async () => {
  await store.close();
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

const newDevice = async (name: string) => {
  const newKind = { title: name, intervalS: 10, streams: [{ key: 'level', title: 'Level', type: 'number' }] };
  const { row, token } = await createDevice(store, workspaceId, { name, newKind } as never);
  const bus = createBus();
  return { row, token, bus, registry: createRegistry(store, bus) };
};
/** Moments within and just after the reading of a definition. */
const moments = Array.from({ length: 24 }, (_, i) => i * 0.4);
const after = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

it('never keeps a kind as it was before a change, whenever the change meets the reading', async () => {
  const { row, bus, registry } = await newDevice('Dipwell');
  for (const [i, ms] of moments.entries()) {
    bus.emit('definitions', { workspaceId, deviceRowId: row.rowId });
    const reading = registry.byRow(row.rowId);
    await after(ms);
    const title = `Dipwell ${i}`;
    await changeIn(store.models.kinds, workspaceId, { id: row.kindId }, { title });
    bus.emit('definitions', { workspaceId, kindId: row.kindId });
    await reading;
    expect((await registry.byRow(row.rowId))!.kindTitle).toBe(title);
    expect(registry.known(row.rowId)!.kindTitle).toBe(title);
  }
});

it('never goes on taking a token that is withdrawn while it is looked up', async () => {
  const { row, token, bus, registry } = await newDevice('Sluice');
  const { deviceTokens } = store.models;
  const withdraw = async (withdrawnAt: number | null): Promise<void> => {
    await changeIn(deviceTokens, workspaceId, { deviceRowId: row.rowId }, { withdrawnAt });
    bus.emit('definitions', { workspaceId, deviceRowId: row.rowId });
  };
  for (const ms of moments) {
    await withdraw(null);
    const looking = registry.verify(token);
    await after(ms);
    await withdraw(Date.now());
    await looking;
    expect(registry.knownToken(token)).toBeUndefined();
    expect((await registry.verify(token)).state).toBe('withdrawn');
  }
});

it('opens the store of a database of its own that is slow to answer once', async () => {
  const socketPath = path.join(folder, 'slow.sock');
  const open = new Set<net.Socket>();
  const slow = net
    .createServer((caller) => {
      open.add(caller);
      if (open.size === 1) return;
      const behind = net.connect(database.socketPath);
      caller.on('error', () => undefined).pipe(behind);
      behind.on('error', () => undefined).pipe(caller);
    })
    .listen(socketPath);
  try {
    const late = await openStore({ ...database, socketPath }, log);
    expect(open.size).toBeGreaterThan(1);
    expect(await late.answers()).toBe(true);
    await late.close();
  } finally {
    for (const caller of open) caller.destroy();
    slow.close();
  }
});
