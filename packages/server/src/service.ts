import type http from 'node:http';
import { hostname } from 'node:os';
import type { Address } from '@peatmoor/contract';
import type { Logger } from 'pino';
import { chartOfEvent } from './alerts/chart';
import { startChannels } from './alerts/channels';
import { createMailer } from './alerts/channels/email';
import { startLife } from './alerts/life';
import { createLinks } from './alerts/links';
import { startPlanned } from './alerts/planned';
import { readPushKeys } from './alerts/secrets';
import { writeMachineKey } from './auth/resets';
import { readSealer, readSigner } from './auth/secrets';
import { createTellUndone } from './alerts/done';
import { startOutbox } from './alerts/outbox';
import { createApp } from './api/app';
import { refuseUnfinishedRestore } from './backup/unfinished';
import { createBus } from './bus';
import { localPair, readAuthority } from './certificate/local';
import { startRenewing } from './certificate/renewing';
import { startTimetables } from './timetables/worker';
import { createCommands } from './commands/commands';
import { startKeeper } from './commands/keeper';
import { createRuns } from './commands/runs';
import { reachableHost, type Config } from './config';
import { trustProxies } from './listeners/address';
import { lockFolder } from './database/folderLock';
import { startManagedDatabase, type ManagedDatabase } from './database/managed';
import { startRecomputing } from './computing/recompute';
import { startComputing } from './computing/worker';
import { createCorrections } from './history/corrections';
import { startClearing } from './history/deleting';
import { startKeeping } from './history/keeping';
import { startFolding } from './history/folding';
import { createHistoryReader } from './history/read';
import { createRecent } from './history/recent';
import { createAboutBook } from './ingest/about';
import { createAdmission } from './ingest/admission';
import { startArrivals } from './ingest/arrivals';
import { createNewNames } from './ingest/newNames';
import { startPresence } from './presence/presence';
import { createProofs } from './presence/proofs';
import { createTimes } from './ingest/times';
import { startTokenUse } from './presence/tokenUse';
import { createVerbs } from './ingest/verbs';
import { createReport } from './ingest/verbs/report';
import { createWorkRate } from './ingest/workRate';
import { openDerivedWriter } from './journal/derived';
import { now as clockNow } from './clock';
import { readAway, readTail } from './journal/tail';
import { readParts, sharesOf, whatIsDone, type AllParts } from './journal/parts';
import { createTelling } from './journal/telling';
import { startHeartbeat } from './journal/writers';
import { startJournalWriter, type Committed } from './journal/writer';
import { createClaiming } from './definitions/claiming';
import { createFirmwareBook } from './definitions/firmware';
import { createHealth } from './health';
import { startNodes, type Nodes } from './nodes';
import { createMetrics, type Metrics } from './metrics';
import { createDeviceHttp } from './listeners/http/deviceHttp';
import { createLastingRows } from './listeners/mqtt/lastingRows';
import { startMqttListener } from './listeners/mqtt/listener';
import { portProblem } from './listeners/web/pages';
import { createWebServer } from './listeners/web/webServer';
import { announce, type Announced } from './listeners/localName';
import { createUpgrades } from './listeners/web/upgrades';
import { createMqttOverWeb } from './listeners/mqtt/overWeb';
import { createLiveHub } from './live/hub';
import { createRegistry } from './registry';
import { createRaisedEvents } from './rules/raised';
import { startRules } from './rules/worker';
import { startUsual } from './rules/usual';
import type { EventRow } from './store/models';
import { openStore, type Store } from './store/store';
import { beginTime } from './store/time';
import { startWatching } from './watch';
import { startForgettingTimes } from './watch/wrongTimes';

/** Beside other nodes commits begin so long apart, in ms: each of them costs all nodes and all their databases work. */
const COMMITS_APART_MS = 16;

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
  config: given,
  log,
  consoleFolder,
  prepare,
}: ServiceOptions): Promise<Service> {
  trustProxies(given.trustProxy);
  const unlock = lockFolder(given.dataFolder);
  try {
    refuseUnfinishedRestore(given.dataFolder);
  } catch (error) {
    unlock();
    throw error;
  }
  // One that was made here is used where none is set.
  const local = given.tls === null ? await localPair(given.dataFolder) : null;
  const config = { ...given, tls: given.tls ?? local };
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
      database = await startManagedDatabase(config.dataFolder, log, config.databaseSize);
      stops.push(database.stop);
    }
    const store = await openStore(database ?? { url: config.databaseUrl! }, log);
    stops.push(store.close);
    stops.push((await beginTime(store, database === null)).stop);
    await prepare?.(store);

    stops.push(startForgettingTimes(store, log).stop);
    const bus = createBus();
    const registry = createRegistry(store, bus);
    const recent = createRecent();
    registry.onNewest = recent.noteNewest;
    let lastSeen: (deviceRowId: number) => number | null = () => null;
    const hub = createLiveHub({ store, registry, recent, bus, lastSeen: (rowId) => lastSeen(rowId), log });
    stops.push(hub.stop);
    let wakeReaders: (part: number) => void = () => undefined;
    let committedAt = -Infinity;
    const onCommit = (committed: Committed): void => {
      committedAt = performance.now();
      hub.committed(committed);
      recent.add(committed);
      nodes?.committed(committed);
      wakeReaders(committed.part);
    };
    let nodes: Nodes | null = null;
    // Taken before anything is journalled: what a service before has left there.
    const tail = await readTail(store);
    for (const committed of tail.entries) recent.add(committed);
    const times = createTimes(tail.lastAt, () => nodes?.timePart() ?? 0);
    let metrics: Metrics | null = null;
    const hasOthers = (): boolean => (nodes?.health().alive ?? 1) > 1;
    let beside = (): void => undefined;
    const parts = await readParts(store, config.journalParts);
    const journal = await startJournalWriter(
      store,
      log,
      (committed, tookMs) => {
        onCommit(committed);
        metrics?.committed(committed.batch.series.length + committed.others.length, tookMs / 1000);
      },
      {
        onBegin: () => beside(),
        parts,
        apartMs: () => (hasOthers() ? COMMITS_APART_MS : 0),
      },
    );
    // Nobody could be heard meanwhile.
    const away = await readAway(store);
    if (away !== null) journal.addFact('all', { kind: 'began', at: clockNow(), from: away });
    const derived = await openDerivedWriter(store);
    stops.push(
      startHeartbeat(
        store,
        [journal.id, derived.id],
        (withinMs) => database !== null && performance.now() - committedAt < withinMs,
      ),
    );
    // A database of our own belongs to the one service that holds its folder.
    const holder = `${hostname()} ${process.pid} ${journal.id}`;
    const shares = sharesOf(
      parts,
      { holder, sole: database !== null },
      () => nodes?.place() ?? { index: 0, count: 1 },
    );
    const folding = startFolding({ store, recent, log, shares });
    stops.push(folding.stop);
    // Begun now, not waited for: what was left is in memory and found there.
    void folding.settled().catch((error: Error) => log.warn({ err: error }, 'folding waits'));
    const history = createHistoryReader(store, recent, log);
    // What happens with devices beside readings: rules are worked out from the journal alone.
    const tell = createTelling(journal, registry, log);
    const isElsewhere = (rowId: number): boolean => nodes?.has(rowId) ?? false;
    const presence = startPresence({ store, bus, tell, isElsewhere, onHeard: hub.heard, log });
    lastSeen = presence.lastSeen;
    stops.push(presence.stop);
    const workers: [name: string, Pick<AllParts, 'held'>][] = [['folding', folding]];
    let ownAddress = (): string => '';
    let letBoardsGo = (): void => undefined;
    const arrivals = startArrivals({ store, bus, times, tell, log, hasOthers });
    stops.push(arrivals.stop);
    // Before anything is read into memory: what changes elsewhere from now on is heard of.
    nodes = await startNodes({
      config,
      store,
      bus,
      registry,
      recent,
      hub,
      presence,
      log,
      writers: [journal.id, derived.id],
      tail: tail.entries,
      isShared: database === null,
      tell,
      wakeReaders: (part) => wakeReaders(part),
      saveArrivals: arrivals.save,
      does: () => whatIsDone(workers),
      address: () => ownAddress(),
      letBoardsGo: () => letBoardsGo(),
    });
    stops.push(nodes.stop);
    const tokenUse = startTokenUse(store, log);
    stops.push(tokenUse.stop);
    beside = () => {
      for (const one of [arrivals, presence, tokenUse]) one.beside();
    };
    // What sends is started once everything it sends about is there.
    let wakeAlerts = (): void => undefined;
    const onAlerts = (): void => wakeAlerts();
    const rules = startRules({
      store,
      registry,
      bus,
      log,
      onAlerts,
      shares,
      heard: (seriesId) => recent.newest(seriesId) !== undefined,
    });
    stops.push(rules.stop);
    const computing = startComputing({
      store,
      registry,
      history,
      writer: derived,
      bus,
      log,
      onCommit,
      shares,
    });
    stops.push(computing.stop);
    workers.push(['rules', rules], ['computing', computing]);
    wakeReaders = (part) => {
      rules.wake(part);
      computing.wake(part);
      folding.wake(part);
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

    const proofs = createProofs(store, bus, tell, log);
    stops.push(proofs.stop);
    const runs = createRuns(store, registry, log);
    const commands = createCommands({
      store,
      registry,
      presence,
      bus,
      recent,
      runs,
      tell,
      onUndone: createTellUndone(store, onAlerts, log),
      log,
    });
    stops.push(commands.stop);
    const keeper = startKeeper({ store, registry, commands, runs, log });
    stops.push(keeper.stop);
    bus.on('rules', keeper.wake);
    const timetables = startTimetables({ store, registry, commands, bus, log });
    stops.push(timetables.stop);
    const publicUrl = (): string => address().httpUrl;
    const links = createLinks(await readSigner(store), publicUrl);
    const sealer = await readSealer(store);
    const isMachineKey = writeMachineKey(config.dataFolder);
    const pushKeys = await readPushKeys(store);
    const mailer = createMailer(config);
    stops.push(() => mailer.close());
    const chartOf = (event: EventRow): Promise<Buffer | null> =>
      chartOfEvent({ store, registry, history }, event);
    const senders = startChannels({
      config,
      store,
      registry,
      bus,
      log,
      links,
      pushKeys,
      commands,
      chartOf,
      publicUrl,
    });
    const rate = createWorkRate(
      config.deviceRate,
      database === null ? (devices) => bus.outward('used', { devices }) : null,
    );
    bus.on('used', ({ devices }) => rate.usedElsewhere(devices));
    const report = createReport({
      registry,
      newNames: createNewNames(store, registry, bus, log, database === null),
      journal,
      arrivals,
      presence,
      proofs,
      times,
      rate,
      confirms: commands.confirms,
    });
    const raised = createRaisedEvents(store, journal);
    const firmware = createFirmwareBook(store, sealer, bus);
    const claiming = createClaiming({ store, bus, tokenUse, address: () => address() });
    const aboutBook = createAboutBook(store, bus);
    const verbs = createVerbs({
      report,
      registry,
      commands,
      raised,
      aboutBook,
      claiming,
      firmware,
      arrivals,
      presence,
      proofs,
    });
    const admission = createAdmission({ registry, arrivals, proofs, tokenUse });
    const corrections = createCorrections(store, folding, history);
    const clearing = startClearing(store, log);
    stops.push(clearing.stop);
    const keeping = startKeeping(store, log);
    stops.push(keeping.stop);

    const lastingRows = createLastingRows(store, log);
    stops.push(lastingRows.stop);
    const { host: listenHost, mqttPort, mqttsPort, tls } = config;
    const places = { host: listenHost, port: mqttPort, tls: tls && { ...tls, port: mqttsPort } };
    const mqtt = await startMqttListener(places, {
      registry,
      admission,
      verbs,
      rate,
      times,
      arrivals,
      proofs,
      presence,
      journal,
      bus,
      lastingRows,
      log,
    }).catch((error: NodeJS.ErrnoException & { port?: number }) =>
      error.port === mqttsPort && tls !== null
        ? portProblem('PEATMOOR_MQTTS_PORT', mqttsPort)(error)
        : portProblem('PEATMOOR_MQTT_PORT', mqttPort ?? 0)(error),
    );
    stops.push(mqtt.stop);
    letBoardsGo = () => void mqtt.letGo(config.leaveMs, true);

    const web = createWebServer(config);
    const renewing = startRenewing(
      { dataFolder: config.dataFolder, isLocal: local !== null, log },
      (pair) => {
        web.renew(pair);
        mqtt.renew(pair);
      },
    );
    stops.push(renewing.stop);
    const host = reachableHost(config);
    let announced: Announced | null = null;
    const address = (): Address => ({
      httpUrl: config.publicUrl ?? `${tls === null ? 'http' : 'https'}://${host}:${web.port()}`,
      host,
      mqttPort: config.publicMqttPort ?? mqtt.port ?? mqtt.tlsPort ?? 0,
      localName: announced?.name ?? null,
      tls:
        mqtt.tlsPort === null
          ? null
          : {
              mqttPort: mqtt.tlsPort,
              authority: local === null ? '' : (readAuthority(config.dataFolder)?.toString('utf8') ?? ''),
            },
    });
    const watching = startWatching({
      config,
      database,
      store,
      journal,
      renewing,
      mailer,
      publicUrl,
      log,
    });
    stops.push(watching.stop);
    const health = createHealth({
      store,
      journal,
      recent,
      mqtt: () => ({ port: mqtt.port, sessions: presence.count() }),
      pages: () => hub.count(),
      nodes: () => nodes.health(),
      watched: watching.watched,
    });
    metrics = createMetrics(health);
    const app = createApp(
      {
        config,
        store,
        bus,
        registry,
        presence,
        arrivals,
        verbs,
        journal,
        corrections,
        folding,
        clearing,
        tokenUse,
        commands,
        recent,
        history,
        recomputing,
        rules,
        timetables,
        firmware,
        mailer,
        links,
        sealer,
        isMachineKey,
        pushKeys,
        senders,
        log,
        wakeAlerts: onAlerts,
        renewCertificate: renewing.renew,
        watched: watching.watched,
        nodes,
        address,
      },
      consoleFolder,
      health,
      metrics,
      log,
    );
    const deviceHttp = createDeviceHttp({ admission, verbs, rate, arrivals, journal, log });
    const serve: http.RequestListener = (request, response) => {
      if (request.url?.startsWith('/device/')) deviceHttp(request, response);
      else app(request, response);
    };
    const { upgrade, upgraded } = createUpgrades({ store, hub, mqttOverWeb: createMqttOverWeb(mqtt.accept) });
    await web.listen({ serve, upgrade, upgraded, leave: commands.leave });
    stops.push(web.stop);
    const httpPort = web.port();
    if (config.localName !== null) {
      const telling = announce(config.localName, () => ({ http: httpPort, mqtt: mqtt.port ?? 0 }), log).then(
        (made) => (announced = made),
      );
      stops.push(async () => (await telling).stop());
    }
    // Alerts carry the address of the pages: they go out once those can be opened.
    const outbox = startOutbox({ store, registry, recent }, senders, bus, log, database !== null);
    stops.push(outbox.stop);
    const planned = startPlanned(store, outbox.wake, log);
    stops.push(planned.stop);
    wakeAlerts = () => {
      keeper.wake();
      outbox.wake();
      planned.wake();
    };
    stops.push(startUsual({ store, registry, history, journal, bus, log, holds: rules.holds }).stop);
    // Behind whatever balancer.
    const own = reachableHost({ publicUrl: null, host: config.host });
    ownAddress = () => `${tls === null ? 'http' : 'https'}://${own}:${httpPort}`;
    const life = startLife({
      config,
      store,
      mailer,
      isWell: async () => (await health()).ok,
      publicUrl,
      log,
    });
    stops.push(life.stop);
    // First of all it is said that nothing new is taken: the balancer sends what comes to the others.
    stops.push(() => (nodes.health().alive > 1 ? mqtt.letGo(config.leaveMs) : undefined), nodes.leave);
    return {
      address: address(),
      httpPort,
      mqttPort: mqtt.port ?? 0,
      mqttsPort: mqtt.tlsPort,
      store,
      stop: stopAll,
    };
  } catch (error) {
    await stopAll();
    throw error;
  }
}
