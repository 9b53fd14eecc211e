import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  createLog,
  readConfig,
  runUntilStopped,
  SettingError,
  whyNotStarted,
  startService,
} from '@peatmoor/server';
import { startMailCatcher, startPushCatcher, type Board } from '@peatmoor/standins';
import { startBoards } from './boards';
import { addPhone } from './rules';
import { shareQuillmere } from './sharing';
import { seedQuillmere, type DemoFacts } from './seed';

const say = (text: string): void => void process.stdout.write(`${text}\n`);
const consoleFolder = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../../console/dist');

/** The mail page's port, unless DEMO_MAIL_PORT names another (0: any free one). */
const mailPort = Number(process.env.DEMO_MAIL_PORT ?? 8425);

/** The same for the phone that is simulated. */
const pushPort = Number(process.env.DEMO_PUSH_PORT ?? 8426);

/** The service with demo data, simulated boards and a mail catcher, all in one process. */
async function demo(): Promise<void> {
  const config = readConfig({ PEATMOOR_DATA: 'data/demo', PEATMOOR_LOG: 'warn', ...process.env });
  if (process.argv.includes('--fresh') && fs.existsSync(path.join(config.dataFolder, 'demo.json'))) {
    if (fs.existsSync(path.join(config.dataFolder, 'service.lock'))) await endStale(config.dataFolder);
    say(`Deleting the demo data in ${config.dataFolder} …`);
    fs.rmSync(config.dataFolder, { recursive: true, force: true });
  }
  const catcher = await startMailCatcher({ pagePort: mailPort, host: config.host }).catch(
    (error: NodeJS.ErrnoException) => {
      if (error.code !== 'EADDRINUSE') throw error;
      throw new Error(
        `Port ${mailPort}, for the page of caught mail, is taken. Is the demo running already? Stop it, or set DEMO_MAIL_PORT to a free port (0 chooses one).`,
        { cause: error },
      );
    },
  );
  const phones = await startPushCatcher({ port: pushPort, host: config.host }).catch(() =>
    startPushCatcher({ host: config.host }),
  );
  let facts: DemoFacts | null = null;
  say('Starting the database and the service …');
  const service = await startService({
    // The stand-ins for mail and push are on this machine.
    config: { ...config, smtpUrl: config.smtpUrl ?? catcher.smtpUrl, privateAddresses: true },
    log: createLog(config),
    consoleFolder,
    prepare: async (store) => {
      facts = await seedQuillmere(store, config.dataFolder, say);
      await addPhone(store, facts.email, phones);
    },
  }).catch(async (error: Error) => {
    await catcher.stop();
    await phones.stop();
    throw error;
  });
  const boards: Board[] = [];
  runUntilStopped(async () => {
    for (const board of boards) await board.stop();
    await service.stop();
    await catcher.stop();
    await phones.stop();
  }, say);
  const { email, password, tokens } = facts!;
  say('Switching the simulated boards on …');
  boards.push(...(await startBoards(tokens, service)));
  await shareQuillmere(`http://127.0.0.1:${service.httpPort}`, { email, password });
  const { httpUrl, host } = service.address;
  const mailPage = `http://${host}:${new URL(catcher.pageUrl).port}`;
  say(`
Peatmoor runs with the demo data of Quillmere Moss.

  Console           ${httpUrl}
  Email, password   ${email}   ${password}
  HTTP for boards   ${httpUrl}/device/report
  MQTT for boards   ${host} port ${service.mqttPort}
  Caught mail       ${mailPage}
  Caught push       http://${host}:${new URL(phones.pageUrl).port}

The water above the sluice rises past its limit every few minutes: an event opens, and an email and
a push message are caught.
Ctrl-C stops everything. The data stays in ${config.dataFolder}; "npm run demo -- --fresh" starts anew.
`);
  say(
    JSON.stringify({
      ready: true,
      httpPort: service.httpPort,
      mqttPort: service.mqttPort,
      mailPage: catcher.pageUrl,
      email,
      password,
    }),
  );
}

/** Before data is deleted: a service that still runs there keeps it, a killed one's database is ended. */
async function endStale(dataFolder: string): Promise<void> {
  const { lockFolder, startManagedDatabase } = await import('@peatmoor/server');
  const unlock = lockFolder(dataFolder);
  const database = await startManagedDatabase(dataFolder, createLog({ logLevel: 'silent' }));
  await database.stop();
  unlock();
}

demo().catch((error: Error) => {
  process.stderr.write(`${whyNotStarted(error)}\n`);
  process.exit(error instanceof SettingError ? 2 : 1);
});
