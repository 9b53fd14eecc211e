import { Command } from 'commander';
import { ApiError, LIVE_PATH, type Client, type LiveMessage, type WatchMessage } from '@peatmoor/contract';
import {
  isControllable,
  isNumeric,
  isReportable,
  isUnderWay,
  sampleValue,
  showReading,
} from '@peatmoor/core';
import { setTimeout as sleep } from 'node:timers/promises';
import { WebSocket } from 'ws';
import { showArrival } from './arrivals';
import { print, readCount, readDuration, say, showTime } from './output';
import { signedIn, signedInClient, UsageError } from './settings';

/** report, follow, set, simulate: what happens now. */
export function liveCommands(program: Command): void {
  program
    .command('report <device> <values...>')
    .description('report as the device would')
    .addHelpText('after', '\nExample:\n  peatmoor report dipwell-north water_level=-121 battery=3.9')
    .action(async (device: string, pairs: string[], _options: unknown, command: Command) => {
      const values = Object.fromEntries(pairs.map(readPair));
      const answer = await signedInClient().call('reportByHand', { params: { device }, body: { values } });
      print(command, answer, ({ accepted, refused }) =>
        [
          `${accepted} accepted`,
          ...refused.map(
            ({ name, reason, hint }) => `✗ ${[name, reason].filter(Boolean).join(' ')}: ${hint}`,
          ),
        ].join('\n'),
      );
      if (answer.accepted === 0) process.exitCode = 1;
    });
  program
    .command('follow [device]')
    .description('arrivals, commands and events as they happen; ends with Ctrl-C')
    .option('--for <time>', 'end by itself after this time, such as 30s')
    .addHelpText('after', '\nExample:\n  peatmoor follow dipwell-north')
    .action(async (device: string | undefined, options: { for?: string }, command: Command) => {
      await follow(
        device,
        options.for === undefined ? null : readDuration(options.for),
        command.optsWithGlobals<{ json?: boolean }>().json ?? false,
      );
    });
  program
    .command('set <device> <stream> <value>')
    .description(
      'want a value on a control datastream, and wait until it is applied, and confirmed where something must follow it',
    )
    .option('--wait <time>', 'how long to wait; 0s does not wait', '30s')
    .addHelpText('after', '\nExample:\n  peatmoor set sluice-mill automatic off')
    .action(
      async (device: string, stream: string, value: string, options: { wait: string }, command: Command) => {
        const client = signedInClient();
        let state = await client.call('createCommand', { params: { device }, body: { stream, value } });
        const until = Date.now() + readDuration(options.wait);
        const json = command.optsWithGlobals<{ json?: boolean }>().json ?? false;
        let told = '';
        while (isUnderWay(state.state, state.follow !== null) && Date.now() < until) {
          if (!json && told !== state.state)
            process.stderr.write(
              `${(told = state.state)} …${state.state === 'waiting' ? await whyWaiting(client, device) : ''}\n`,
            );
          await sleep(100);
          state = await client.call('readCommand', { params: { command: state.id } });
        }
        print(
          command,
          state,
          (one) => `${one.stream} ${value}: ${one.state.replace('-', ' ')}${one.note && ` (${one.note})`}`,
        );
        const good = state.follow === null ? ['applied', 'confirmed'] : ['confirmed'];
        if (!good.includes(state.state) && readDuration(options.wait) > 0) process.exitCode = 1;
      },
    );
  program
    .command('simulate <device>')
    .description('report made-up values of every datastream, as a board would')
    .option('--every <time>', 'time between reports', '5s')
    .option('--count <count>', 'how many reports; without end otherwise')
    .addHelpText('after', '\nExample:\n  peatmoor simulate footbridge --every 2s --count 10')
    .action(async (device: string, options: { every: string; count?: string }, command: Command) => {
      const client = signedInClient();
      const one = await client.call('readDevice', { params: { device } });
      const { streams } = await client.call('readKind', { params: { kind: one.kindId } });
      const reported = streams.filter((stream) => isReportable(stream) && isNumeric(stream));
      if (reported.length === 0) throw new UsageError(`${one.kindTitle} has no datastream that is reported.`);
      const everyMs = readDuration(options.every);
      const count = options.count === undefined ? Infinity : readCount(options.count, '--count');
      for (let number = 1; number <= count; number++) {
        const values = Object.fromEntries(
          reported.map((stream) => [
            stream.key,
            stream.type === 'boolean'
              ? sampleValue(stream, Date.now() * 60) === 1
              : sampleValue(stream, Date.now() * 60),
          ]),
        );
        const answer = await client.call('reportByHand', { params: { device }, body: { values } });
        print(
          command,
          { number, values, ...answer },
          () =>
            `#${number} ${reported.map((stream) => `${stream.key} ${showReading(stream, Number(values[stream.key]))}`).join(', ')}: ${answer.accepted} accepted`,
        );
        if (number < count) await sleep(everyMs);
      }
    });
}

/** Why a command has not left yet. */
async function whyWaiting(client: Client, device: string): Promise<string> {
  const { presence, name } = await client.call('readDevice', { params: { device } });
  if (presence.state === 'online') return ' the board takes it when it asks next';
  const since =
    presence.state === 'never' ? 'has never reported' : `is silent since ${showTime(presence.since)}`;
  return ` ${name} ${since}; it is sent when the board is back`;
}

function readPair(text: string): [string, string] {
  const at = text.indexOf('=');
  if (at < 1) throw new UsageError(`"${text}" is not name=value, such as level=-121.`);
  return [text.slice(0, at), text.slice(at + 1)];
}

async function follow(device: string | undefined, forMs: number | null, json: boolean): Promise<void> {
  const client = signedInClient();
  const kinds = await client.call('listKinds');
  const devices = await client.call('listDevices');
  if (device !== undefined && !devices.some(({ id }) => id === device))
    throw new UsageError(
      `There is no device "${device}". There are: ${devices.map(({ id }) => id).join(', ')}.`,
    );
  const kindOf = (id: string) =>
    kinds.find((kind) => kind.id === devices.find((one) => one.id === id)?.kindId);
  const { url, key } = signedIn();
  const said = new Set<string>();
  const line = async (message: LiveMessage): Promise<string | null> => {
    const wanted = (id: string): boolean => device === undefined || device === id;
    if (message.type === 'arrival' && wanted(message.arrival.deviceId))
      return `${showTime(message.arrival.receivedAt)}  ${message.arrival.deviceId.padEnd(16)} ${showArrival(message.arrival, kindOf(message.arrival.deviceId))}`;
    if (message.type === 'command' && wanted(message.command.deviceId)) {
      const { deviceId, stream, value, state, note } = message.command;
      const spec = kindOf(deviceId)?.streams.find((one) => one.key === stream && isControllable(one));
      return `${showTime(Date.now())}  ${deviceId.padEnd(16)} wanted ${stream} = ${spec === undefined ? value : showReading(spec, value)}: ${state}${note && ` (${note})`}`;
    }
    if (message.type === 'firstOnline' && wanted(message.device))
      return `${showTime(message.at)}  ${message.device.padEnd(16)} is online for the first time`;
    if (message.type === 'changed' && message.what === 'events' && message.id !== undefined) {
      // By its number: one that closes may have opened long before many others.
      const event = await client
        .call('readEvent', { params: { event: message.id } })
        .catch((error: unknown) => {
          // It may be gone with its device meanwhile.
          if (error instanceof ApiError && error.problem.status === 404) return null;
          throw error;
        });
      if (event === null || !wanted(event.deviceId)) return null;
      // An event is told of again when its emails are sent: what was said already is not said again.
      const state = `${event.id} ${event.closedAt}`;
      if (said.has(state)) return null;
      said.add(state);
      return `${showTime(event.closedAt ?? event.openedAt)}  ${event.deviceId.padEnd(16)} event ${event.closedAt === null ? 'open' : 'closed'} (${event.severity}): ${event.title}`;
    }
    return null;
  };
  const until = forMs === null ? Infinity : Date.now() + forMs;
  let last = '';
  let stopped = false;
  /** One connection: true where it was open, false where the service was not reached. */
  const connection = (): Promise<boolean> =>
    new Promise((resolve, reject) => {
      const socket = new WebSocket(url.replace(/^http/, 'ws') + LIVE_PATH, {
        headers: { authorization: `Bearer ${key}` },
        handshakeTimeout: 10_000,
      });
      const timer =
        until === Infinity ? undefined : setTimeout(() => socket.close(), Math.max(0, until - Date.now()));
      const wanted = device === undefined ? 'all' : [device];
      const watch: WatchMessage = { type: 'watch', devices: wanted, arrivals: wanted };
      let opened = false;
      socket.on('open', () => {
        opened = true;
        socket.send(JSON.stringify(watch));
      });
      socket.on('message', (data: Buffer) => {
        const message = JSON.parse(data.toString()) as LiveMessage;
        if (json) return isOf(message, device) ? say(JSON.stringify(message)) : undefined;
        line(message)
          .then((text) => {
            if (text !== null && text !== last) say(text);
            last = text ?? last;
          })
          .catch(reject);
      });
      // What went wrong is told by the close that follows.
      socket.on('error', () => undefined);
      socket.on('unexpected-response', (_request, response) => {
        clearTimeout(timer);
        reject(new Error(`The service answered ${response.statusCode}. Sign in again: peatmoor sign-in`));
      });
      socket.on('close', () => {
        clearTimeout(timer);
        resolve(opened);
      });
      const stop = (): void => {
        stopped = true;
        socket.close();
      };
      process.once('SIGINT', stop);
      socket.once('close', () => process.off('SIGINT', stop));
    });
  const over = (): boolean => stopped || Date.now() >= until;
  for (let waitMs = 1000, everOpen = false; ; waitMs = Math.min(30_000, waitMs * 2)) {
    const wasOpen = await connection();
    if (over()) return;
    if (!wasOpen && !everOpen)
      throw new Error(`The live channel of ${url} cannot be opened. Is the service running?`);
    everOpen = true;
    if (wasOpen) waitMs = 1000;
    process.stderr.write(
      `The connection ended; trying again in ${Math.round(waitMs / 1000)} s. What happens meanwhile is in: peatmoor device arrivals\n`,
    );
    await sleep(Math.min(waitMs, until - Date.now()));
    if (over()) {
      process.exitCode = 1;
      return;
    }
  }
}

/** True where a message is about a device, or about none in particular. */
function isOf(message: LiveMessage, device: string | undefined): boolean {
  if (device === undefined) return true;
  if (message.type === 'arrival') return message.arrival.deviceId === device;
  if (message.type === 'command') return message.command.deviceId === device;
  const about = (message as { device?: unknown }).device;
  return about === undefined ? false : about === device;
}
