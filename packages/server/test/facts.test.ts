import { createConnection } from 'mariadb';
import { unpackBatch, type Fact } from '@peatmoor/core';
import type { Client } from '@peatmoor/contract';
import {
  databaseOf,
  mqttAs,
  newDevice,
  newPerson,
  post,
  startService,
  until,
  type TestService,
} from '../../../test/support/service';

let service: TestService;
let client: Client;

beforeAll(async () => {
  service = await startService();
  ({ client } = await newPerson(service));
});
afterAll(() => service.stop());

it('the journal carries what happens with a device beside its readings', async () => {
  const { device, token } = await newDevice(client, 'Sluice');
  await client.call('createStream', {
    params: { kind: device.kindId },
    body: { key: 'horn', title: 'Horn', type: 'boolean', direction: 'control' },
  });
  const connection = await createConnection({ ...databaseOf(service), bigIntAsNumber: true } as never);
  const seen = new Map<Fact['kind'], Fact>();
  const look = async (): Promise<void> => {
    for (const { body } of (await connection.query('SELECT body FROM journal')) as { body: Buffer }[])
      for (const fact of unpackBatch(body).facts) seen.set(fact.kind, fact);
  };
  const expects = async (kind: Fact['kind']): Promise<Fact> => {
    await until(async () => (await look(), seen.has(kind)));
    return seen.get(kind)!;
  };
  const board = await mqttAs(service, device.id, token);
  const again = await mqttAs(service, device.id, token);
  const online = await expects('online');
  await board.subscribeAsync(`moor/${device.id}/wanted/+`, { qos: 1 });
  await client.call('createCommand', {
    params: { device: device.id },
    body: { stream: 'horn', value: true },
  });
  await board.publishAsync(`moor/${device.id}/applied/horn`, '1', { qos: 1 });
  expect(await expects('applied')).toMatchObject({ device: (online as { device: number }).device });
  await post(service, token, { level: 'low', nonsense: 1 });
  expect(await expects('refused')).toMatchObject({ count: 2 });
  await board.endAsync();
  await look();
  // The last connection counts.
  expect(seen.has('offline')).toBe(false);
  await again.endAsync();
  await expects('offline');
  await connection.end();
});
