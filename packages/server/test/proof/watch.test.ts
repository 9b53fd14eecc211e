import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { startMailCatcher, type MailCatcher } from '@peatmoor/standins';
import {
  mqttAs,
  newDevice,
  newFolder,
  newPerson,
  post,
  readingsOf,
  startService,
  until,
} from '../../../../test/support/service';

jest.setTimeout(180_000);

/** A disk of its own, that can be filled: only root may make one. */
const onSmallDisk = process.getuid?.() === 0 ? it : it.skip;

onSmallDisk(
  'refuses readings at the brink, goes on with all else, tells the owners, and takes them again',
  async () => {
    const disk = newFolder();
    expect(spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=500m', 'tmpfs', disk]).status).toBe(0);
    let mail: MailCatcher | null = null;
    const filler = path.join(disk, 'filler');
    const service = await startService({
      PEATMOOR_DATA: path.join(disk, 'data'),
      PEATMOOR_DATABASE_SIZE: 'small',
      PEATMOOR_SMTP_URL: (mail = await startMailCatcher()).smtpUrl,
    });
    try {
      const person = await newPerson(service);
      const { token } = await newDevice(person.client);
      const health = async () =>
        (await (await fetch(`${service.url}/health`)).json()) as Record<string, never>;
      expect((await post(service, token, { level: -1 })).status).toBe(200);
      const { bavail, bsize } = fs.statfsSync(disk);
      // All but 10 MB.
      spawnSync('fallocate', ['-l', String(bavail * bsize - 10 * 2 ** 20), filler]);
      await until(async () => (await health()).ok === false, 'the brink');
      const refused = await post(service, token, { level: -2 });
      expect(refused.status).toBe(503);
      // A board of MQTT keeps what it was not acknowledged.
      const board = await mqttAs(service, 'dipwell-north', token);
      let isAcknowledged = false;
      const publishing = board
        .publishAsync('moor/dipwell-north/report/level', '-3', { qos: 1 })
        .then(() => (isAcknowledged = true));
      // Everything else goes on: looking, steering, changing, clearing up.
      expect(await readingsOf(person.client, 'dipwell-north', 'level')).toHaveLength(1);
      await person.client.call('createCommand', {
        params: { device: 'dipwell-north' },
        body: { stream: 'pump', value: true },
      });
      await person.client.call('changeDevice', {
        params: { device: 'dipwell-north' },
        body: { name: 'North' },
      });
      const [found] = (await person.client.call('check')).findings.filter(({ what }) => what === 'disk');
      expect(found).toMatchObject({ state: 'bad', found: expect.stringContaining('readings are refused') });
      await until(
        () => mail!.mails().some(({ subject }) => subject.includes('The disk is full')),
        'the mail about it',
        60_000,
      );
      expect(isAcknowledged).toBe(false);
      fs.rmSync(filler);
      await until(async () => (await health()).ok === true, 'room again');
      await publishing;
      expect((await post(service, token, { level: -4 })).status).toBe(200);
      await until(async () => (await readingsOf(person.client, 'dipwell-north', 'level')).length === 3);
      await until(
        () => mail!.mails().some(({ subject }) => subject.includes('disk: all is well again')),
        'the mail that it is over',
        60_000,
      );
      expect(mail.mails().filter(({ subject }) => subject.includes('disk'))).toHaveLength(2);
      await board.endAsync(true);
    } finally {
      await service.program.stop();
      await mail.stop();
      spawnSync('umount', ['-l', disk]);
    }
  },
);
