import http from 'node:http';
import https from 'node:https';
import type { AddressInfo } from 'node:net';
import type { Duplex } from 'node:stream';
import { LIVE_PATH, type Address } from '@peatmoor/contract';
import type { Logger } from 'pino';
import { startMailer } from './alerts/mailer';
import { createApp } from './api/app';
import { scopeOf } from './api/scope';
import { createBus } from './bus';
import { createCommands } from './commands/commands';
import { reachableHost, type Config } from './config';
import { lockFolder } from './database/folderLock';
import { startManagedDatabase, type ManagedDatabase } from './database/managed';
import { startRecomputing } from './computing/recompute';
import { startComputing } from './computing/worker';
import { createCorrections } from './history/corrections';
import { startKeeping } from './history/keeping';
import { startFolding } from './history/folding';
import { createHistoryReader } from './history/read';
import { createRecent } from './history/recent';
import { createAboutBook } from './ingest/about';
import { startArrivals } from './ingest/arrivals';
import { createIngest } from './ingest/ingest';
import { createNewNames } from './ingest/newNames';
import { startPresence } from './ingest/presence';
import { createProofs } from './ingest/proofs';
import { startTokenUse } from './ingest/tokenUse';
import { readersBehind } from './journal/reader';
import { openDerivedWriter } from './journal/derived';
import { startJournalWriter, type Committed } from './journal/writer';
import { createClaiming } from './definitions/claiming';
import { createDeviceHttp } from './listeners/deviceHttp';
import { startMqttListener } from './listeners/mqtt';
import { createMqttOverWeb, MQTT_PATH } from './listeners/mqttOverWeb';
import { createLiveHub } from './live/hub';
import { createRegistry } from './registry';
import { createRaisedEvents } from './rules/raised';
import { startRuleWorker } from './rules/worker';
import { openStore, type Store } from './store/store';

export interface Service {
  address: Address;
  httpPort: number;
  mqttPort: number;
  mqttsPort: number | null;
  store: Store;
  stop(): Promise<void>;
}

export interface ServiceOptions {
  config: Config;
  log: Logger;
  /** Folder of the built console. */
  consoleFolder: string;
  /** Runs after the tables are there and before anything listens; the demo fills in its data here. */
  prepare?: (store: Store) => Promise<void>;
}

/** Starts the whole service: database, journal, workers, listeners. Throws with a sentence when it cannot. */
export async function startService({
  config,
  log,
  consoleFolder,
  prepare,
}: ServiceOptions): Promise<Service> {
  const unlock = lockFolder(config.dataFolder);
  const stops: (() => unknown)[] = [unlock];
  // The database ends last, whatever becomes of the others.
  const stopAll = async (): Promise<void> => {
    const failed: unknown[] = [];
    for (const stop of stops.splice(0).reverse())
      try {
        await stop();
      } catch (error) {
        failed.push(error);
      }
    if (failed.length > 0) throw failed[0];
  };
  try {
    let database: ManagedDatabase | null = null;
    if (config.databaseUrl === null) {
      database = await startManagedDatabase(config.dataFolder, log);
      stops.push(database.stop);
    }
    const store = await openStore(database ?? { url: config.databaseUrl! }, log);
    stops.push(store.close);
    await prepare?.(store);

    const bus = createBus();
    const registry = createRegistry(store, bus);
    const recent = createRecent();
    registry.onNewest = recent.noteNewest;
    const hub = createLiveHub(registry, bus, log);
    stops.push(hub.stop);
    let wakeReaders = (): void => undefined;
    const onCommit = (committed: Committed): void => {
      recent.add(committed);
      hub.committed(committed);
      wakeReaders();
    };
    const journal = await startJournalWriter(store, log, onCommit);
    // What a killed service left in the journal is folded before anything new comes.
    const derived = await openDerivedWriter(store);
    const folding = startFolding(store, recent, [journal.id, derived.id], log);
    stops.push(folding.stop);
    await folding.foldAll();
    const history = createHistoryReader(store, recent);
    const presence = startPresence(store, log);
    stops.push(presence.stop);
    const tokenUse = startTokenUse(store, log);
    stops.push(tokenUse.stop);
    const arrivals = startArrivals(store, bus, log);
    stops.push(arrivals.stop);
    const mailer = startMailer(store, config.smtpUrl, config.mailFrom, bus, log);
    stops.push(mailer.stop);
    const rules = startRuleWorker(store, registry, bus, log, mailer.wake);
    stops.push(rules.stop);
    const computing = startComputing({ store, registry, history, writer: derived, bus, log, onCommit });
    stops.push(computing.stop);
    wakeReaders = () => {
      rules.wake();
      computing.wake();
    };
    const recomputing = startRecomputing({
      store,
      registry,
      history,
      recent,
      folding,
      worker: computing,
      bus,
      log,
    });
    stops.push(recomputing.stop);
    stops.push(journal.stop);

    const proofs = createProofs(store, bus, log);
    const commands = createCommands(store, registry, presence, bus, log);
    const ingest = createIngest({
      registry,
      newNames: createNewNames(store, registry, bus, log),
      journal,
      arrivals,
      presence,
      proofs,
      commands,
      deviceRate: config.deviceRate,
    });
    const raised = createRaisedEvents(store, bus, mailer.wake);
    const about = createAboutBook(store, bus);
    const corrections = createCorrections(store, folding, history);
    const keeping = startKeeping(store, log);
    stops.push(keeping.stop);

    const { host: listenHost, mqttPort, mqttsPort, tls } = config;
    const places = { host: listenHost, port: mqttPort, tls: tls && { ...tls, port: mqttsPort } };
    const mqtt = await startMqttListener(places, {
      registry,
      ingest,
      proofs,
      presence,
      tokenUse,
      commands,
      raised,
      about,
      journal,
      bus,
      log,
    }).catch((error: NodeJS.ErrnoException & { port?: number }) =>
      error.port === mqttsPort && tls !== null
        ? portProblem('PEATMOOR_MQTTS_PORT', mqttsPort)(error)
        : portProblem('PEATMOOR_MQTT_PORT', mqttPort)(error),
    );
    stops.push(mqtt.stop);

    const host = reachableHost(config);
    const server = tls === null ? http.createServer() : https.createServer(tls);
    const address = (): Address => ({
      httpUrl:
        config.publicUrl ??
        `${tls === null ? 'http' : 'https'}://${host}:${(server.address() as AddressInfo).port}`,
      host,
      mqttPort: mqtt.port,
    });
    const health = async () => {
      const answers = await store.answers();
      const { queued, down } = journal.status();
      const backlog = recent.status(Date.now());
      const behind = answers ? await store.withConnection(readersBehind).catch(() => null) : null;
      return {
        ok: answers && !down,
        database: answers && !down ? 'answers' : 'does not answer',
        queue: { readings: queued },
        unfolded: { readings: backlog.readings, ageMs: backlog.ageMs },
        behind,
        mqtt: { port: mqtt.port, sessions: presence.count() },
        pages: hub.count(),
      };
    };
    const app = createApp(
      {
        config,
        store,
        bus,
        registry,
        presence,
        arrivals,
        ingest,
        journal,
        corrections,
        folding,
        commands,
        recent,
        history,
        recomputing,
        rules,
        address,
      },
      consoleFolder,
      health,
      log,
    );
    const claiming = createClaiming({ store, bus, tokenUse, address });
    const deviceHttp = createDeviceHttp({
      registry,
      ingest,
      journal,
      proofs,
      commands,
      raised,
      about,
      claiming,
      tokenUse,
      log,
    });
    server.on('request', (request, response) => {
      if (request.url?.startsWith('/device/')) deviceHttp(request, response);
      else app(request, response);
    });
    const mqttOverWeb = createMqttOverWeb(mqtt.accept);
    // Open pages and boards over WebSocket: the server no longer knows their connections, but waits for them when it closes.
    const upgraded = new Set<Duplex>();
    server.on('upgrade', (request, socket: Duplex, head: Buffer) => {
      upgraded.add(socket);
      socket.on('close', () => upgraded.delete(socket));
      socket.on('error', () => socket.destroy());
      if (request.url?.split('?')[0] === MQTT_PATH) return mqttOverWeb(request, socket, head);
      admitPage(store, request)
        .then((workspaceId) => {
          if (workspaceId === null) socket.end('HTTP/1.1 401 Unauthorized\r\nConnection: close\r\n\r\n');
          else hub.upgrade(request, socket, head, workspaceId);
        })
        .catch(() => socket.end('HTTP/1.1 503 Service Unavailable\r\nConnection: close\r\n\r\n'));
    });
    server.headersTimeout = 15_000;
    server.requestTimeout = 120_000;
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(config.httpPort, config.host, resolve);
    }).catch(portProblem('PEATMOOR_HTTP_PORT', config.httpPort));
    stops.push(() => {
      const closed = new Promise((resolve) => server.close(resolve));
      server.closeAllConnections();
      for (const socket of upgraded) socket.destroy();
      return closed;
    });
    return {
      address: address(),
      httpPort: (server.address() as AddressInfo).port,
      mqttPort: mqtt.port,
      mqttsPort: mqtt.tlsPort,
      store,
      stop: stopAll,
    };
  } catch (error) {
    await stopAll();
    throw error;
  }
}

/** The workspace of a page that asks for the live channel, or null for nobody and for pages of other sites. */
async function admitPage(store: Store, request: http.IncomingMessage): Promise<number | null> {
  const { origin, host } = request.headers;
  if (request.url?.split('?')[0] !== LIVE_PATH) return null;
  if (origin !== undefined && (!URL.canParse(origin) || new URL(origin).host !== host)) return null;
  const scope = await scopeOf(store, request);
  // A key of one device hears nothing of the others.
  return scope === null || scope.only !== null ? null : scope.workspaceId;
}

function portProblem(setting: string, port: number): (error: NodeJS.ErrnoException) => never {
  return (error) => {
    if (error.code === 'EADDRINUSE')
      throw new Error(
        `Port ${port} is taken by another program. Stop that program, or set ${setting} to a free port (0 chooses one).`,
        { cause: error },
      );
    if (error.code === 'EACCES')
      throw new Error(`Port ${port} may not be used by this user. Set ${setting} to a number above 1023.`, {
        cause: error,
      });
    throw error;
  };
}
