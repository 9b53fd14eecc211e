import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { readConfig, SettingError } from './config';
import { createLog, runUntilStopped } from './process';
import { startService } from './service';
import { whyNotStarted } from './store/lost';

const consoleFolder = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../../console/dist');
const say = (text: string): void => void process.stdout.write(`${text}\n`);

try {
  const config = readConfig(process.env);
  const log = createLog(config);
  const service = await startService({ config, log, consoleFolder });
  runUntilStopped(service.stop, say);
  say(
    `Peatmoor listens. Console and HTTP for boards: ${service.address.httpUrl}   MQTT: ${service.address.host}:${service.mqttPort}`,
  );
  const { httpPort, mqttPort, mqttsPort } = service;
  say(JSON.stringify({ ready: true, httpPort, mqttPort, ...(mqttsPort !== null && { mqttsPort }) }));
} catch (error) {
  process.stderr.write(`${whyNotStarted(error as Error)}\n`);
  process.exit(error instanceof SettingError ? 2 : 1);
}
