import fs from 'node:fs';
import { createLog, openStore, readConfig, runUntilStopped } from '@peatmoor/server';
import { startMailCatcher, startPushCatcher, type Board } from '@peatmoor/standins';
import { startBoards } from './boards';
import { addPhone } from './rules';
import { seedQuillmere, type DemoFacts } from './seed';
import { createCluster } from './cluster/cluster';
import { PLACES } from './cluster/temporary';

const say = (text: string): void => void process.stdout.write(`${text}\n`);

/** A whole cluster on this machine, with the demo data. */
async function main(): Promise<void> {
  const config = readConfig({ PEATMOOR_DATA: 'data/cluster', PEATMOOR_LOG: 'warn', ...process.env });
  if (process.argv.includes('--fresh')) fs.rmSync(config.dataFolder, { recursive: true, force: true });
  fs.mkdirSync(config.dataFolder, { recursive: true });
  const catcher = await startMailCatcher({ pagePort: Number(process.env.DEMO_MAIL_PORT ?? 8425) });
  const phones = await startPushCatcher({ port: Number(process.env.DEMO_PUSH_PORT ?? 8426) }).catch(() =>
    startPushCatcher({}),
  );
  let facts: DemoFacts | null = null;
  const cluster = await createCluster({
    folder: config.dataFolder,
    ...PLACES,
    httpPort: config.httpPort,
    mqttPort: config.mqttPort ?? 1883,
    environment: { PEATMOOR_SMTP_URL: catcher.smtpUrl, PEATMOOR_PRIVATE_ADDRESSES: 'allow' },
    async prepare(url) {
      const store = await openStore({ url }, createLog(config));
      facts = await seedQuillmere(store, config.dataFolder, say);
      await addPhone(store, facts.email, phones);
      await store.close();
    },
    say,
  });
  const boards: Board[] = [];
  runUntilStopped(async () => {
    for (const board of boards) await board.stop();
    await cluster.stop();
    await catcher.stop();
    await phones.stop();
  }, say);
  await cluster.start().catch(async (error: Error) => {
    await cluster.stop();
    throw error;
  });
  const { email, password, tokens } = facts!;
  boards.push(...(await startBoards(tokens, cluster)));
  const url = `http://127.0.0.1:${cluster.httpPort}`;
  say(`
A cluster of Peatmoor runs on this machine with the demo data of Quillmere Moss.

  Console           ${url}
  Nodes             ${url}/settings   (or: peatmoor node list)
  Email, password   ${email}   ${password}
  MQTT for boards   127.0.0.1 port ${cluster.mqttPort}
  Services          ${cluster.servicePorts.map(({ http }) => `http://127.0.0.1:${http}`).join('   ')}
  Database nodes    ports ${cluster.databasePorts.join(', ')}
  Caught mail       ${catcher.pageUrl}

Kill what you like: the others go on. Ctrl-C ends all. The data stays in ${config.dataFolder};
"npm run cluster -- --fresh" starts anew.
`);
  say(
    JSON.stringify({ ready: true, httpPort: cluster.httpPort, mqttPort: cluster.mqttPort, email, password }),
  );
}

main().catch((error: Error) => {
  process.stderr.write(`${error.message}\n`);
  process.exit(1);
});
