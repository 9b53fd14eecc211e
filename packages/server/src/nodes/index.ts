import { randomBytes } from 'node:crypto';
import { hostname } from 'node:os';
import { setTimeout as sleep } from 'node:timers/promises';
import { clockStanding, type ClockStanding } from '@peatmoor/core';
import type { Logger } from 'pino';
import { VERSION } from '../version';
import { secretOf } from '../auth/secrets';
import type { Bus } from '../bus';
import type { Config } from '../config';
import { clockEra, now as clockNow, ownClockAhead, sayOwnTrouble } from '../clock';
import type { Recent } from '../history/recent';
import { offsetsOf, type JournalPlace } from '../journal/reader';
import type { Committed } from '../journal/writer';
import { NODE_PARTS } from '../journal/writers';
import type { LiveHub } from '../live/hub';
import type { PresenceBook } from '../presence/presence';
import type { Registry } from '../registry';
import type { Store } from '../store/store';
import { startNodeBook, type NodeBook, type NodeFacts, type NodePlace } from './book';
import { startConnections, type Connections, type Elsewhere } from './connections';
import { createInterest } from './interest';
import { createSaying, startFollowing, type Following } from './following';
import { openLink, type Link } from './link';
import type { DeviceFact } from '../journal/telling';
import { isFast, startNews, type News } from './news';

export type { NodeFacts } from './book';

/** The services on one database, as one of them knows them. */
export interface Nodes extends Elsewhere {
  list(): Promise<NodeFacts[]>;
  /** Something was committed here. */
  committed(committed: Committed): void;
  /** Takes nothing new, and waits until the balancer has seen so in `/health`; at once where this is the only node. */
  leave(): Promise<void>;
  health(): { alive: number; draining: boolean };
  /** Which of the living nodes this one is, in order of their numbers, and how many there are; none of them is going. */
  place(): NodePlace;
  /** Which part of a millisecond this node gives times in: no other does at the same time. */
  timePart(): number;
  stop(): Promise<void>;
}

/** Those before do not read times in 1024ths of a millisecond. */
const FINE_TIMES_SINCE = '0.6.0';

interface Parts {
  store: Store;
  bus: Bus;
  registry: Registry;
  recent: Recent;
  hub: LiveHub;
  presence: PresenceBook;
  log: Logger;
  /** Writers of this process; the first one is this node's number. */
  writers: readonly number[];
  /** What of the journal is in memory already. */
  tail: readonly JournalPlace[];
  config: Pick<Config, 'busUrl' | 'leaveMs'>;
  /** True where others may be on this database. */
  isShared: boolean;
  tell: (fact: DeviceFact) => void;
  wakeReaders: (part: number) => void;
  /** Writes down what messages came here. */
  saveArrivals: () => Promise<void>;
  /** What of the journal's readers is done here. */
  does: () => string[];
  /** Where this node itself is reached; empty before it listens. */
  address: () => string;
  /** Ends the connections of boards here, bit by bit. */
  letBoardsGo: () => void;
}

/** The nodes of this database; to be started before anything is read into memory. */
export async function startNodes(parts: Parts): Promise<Nodes> {
  const startedAt = clockNow();
  let readings = 0;
  let leaving = false;
  let standing: ClockStanding = { leaves: false, trouble: null };
  const draining = (): boolean => leaving || standing.leaves;
  const counted = (committed: Committed): void => void (readings += committed.batch.series.length);
  const self = (): Omit<NodeFacts, 'silentMs'> => ({
    id: parts.writers[0]!,
    name: `${hostname()} ${process.pid}`,
    version: VERSION,
    address: parts.address(),
    startedAt,
    draining: draining(),
    load: {
      sessions: parts.presence.count(),
      pages: parts.hub.count(),
      readings,
      memory: process.memoryUsage.rss(),
      does: parts.does(),
      clockMs: Math.round(ownClockAhead()),
    },
  });
  const onOthers = (others: readonly NodeFacts[]): void => {
    const before = standing;
    standing = clockStanding(
      ownClockAhead(),
      others.map(({ draining, load }) => ({ draining, clockMs: load.clockMs })),
      before,
    );
    sayOwnTrouble(standing.trouble);
    if (standing.leaves === before.leaves) return;
    if (standing.leaves)
      parts.log.error({ trouble: standing.trouble }, 'the clock here is wrong: this node leaves');
    else parts.log.info('the clock here agrees again: this node is back');
    // Boards come again by the balancer, which leads them to another.
    if (standing.leaves) parts.letBoardsGo();
  };
  if (parts.isShared) {
    const shared = await startShared(parts, self, onOthers);
    return {
      ...shared,
      health: () => ({ alive: shared.alive(), draining: draining() }),
      committed(committed) {
        counted(committed);
        shared.committed(committed);
      },
      async leave() {
        leaving = true;
        await shared.beat();
        if (shared.alive() > 1) await sleep(parts.config.leaveMs);
      },
    };
  }
  return {
    has: () => false,
    committed: counted,
    leave: () => Promise.resolve(void (leaving = true)),
    health: () => ({ alive: 1, draining: draining() }),
    place: () => ({ index: 0, count: 1 }),
    // Times that were given while the clock was wrong may come once more: these lie beside them.
    timePart: () => clockEra() % NODE_PARTS,
    list: () => Promise.resolve([{ ...self(), silentMs: 0 }]),
    stop: () => Promise.resolve(),
  };
}

type Shared = Pick<Nodes, 'has' | 'committed' | 'list' | 'place' | 'timePart' | 'stop'> & {
  beat(): Promise<void>;
  alive(): number;
};

/** One of several services on a database. */
async function startShared(
  parts: Parts,
  self: () => Omit<NodeFacts, 'silentMs'>,
  onOthers: (others: readonly NodeFacts[]) => void,
): Promise<Shared> {
  const { store, bus, registry, recent, hub, presence, log, writers, tail, tell, saveArrivals } = parts;
  const { busUrl } = parts.config;
  const id = writers[0]!;
  let hasOthers = (): boolean => true;
  let link: Link | null = null;
  const { isWanted } = createInterest(bus, (workspaceId) => {
    // What came before it was known that they are shown.
    void saveArrivals().then(() =>
      bus.emit('live', { workspaceId, message: { type: 'changed', what: 'arrivals' } }),
    );
  });
  const news: News = await startNews({
    store,
    bus,
    node: id,
    log,
    link: () => link,
    hasOthers: () => hasOthers(),
    isWanted,
  });
  const connections: Connections = await startConnections({
    store,
    bus,
    node: id,
    here: presence.here,
    isHere: (rowId) => presence.sessions(rowId).size > 0,
    tell,
    log,
  });
  const book: NodeBook = await startNodeBook({
    store,
    log,
    id,
    self,
    onOthers,
    onDead(dead) {
      // It may have died between a change and telling of it.
      news.forgetAll();
      connections
        .buried(dead)
        .catch((error: Error) => log.debug({ err: error }, 'what a dead node held is looked at later'));
    },
    onAwake() {
      news.forgetAll();
      connections.sayAgain();
    },
  });
  hasOthers = book.hasOthers;
  const following: Following = startFollowing({
    store,
    log,
    mine: writers,
    reached: await reachedOf(store, tail),
    onCommit: take,
    onMissed: () => bus.arrive('definitions', { workspaceId: 0, all: true }, 0),
    isTold: () => link?.isUp() ?? false,
  });
  if (busUrl !== null)
    link = await openLink(busUrl, await channelOf(store), {
      log,
      node: id,
      heard(text, from) {
        if (text === 'look') return news.look();
        if (text === 'commit') return following.look();
        const end = text.indexOf(' ');
        const name = text.slice(0, end);
        if (isFast(name)) bus.arrive(name, JSON.parse(text.slice(end)) as never, from);
      },
      changed() {
        // What was said meanwhile is in the database, and pages read again what they show.
        news.look();
        following.look();
        hub.readAgain();
      },
    });
  const sayCommit = createSaying(() => link?.say('commit'));

  /** A commit of another node: as one of this, but that it is durable and told already. */
  function take(committed: Committed): void {
    hub.committed(committed);
    recent.add(committed);
    const now = clockNow();
    const { series } = committed.batch;
    for (let i = 0; i < series.length; i++) {
      const entry = registry.ownerKnown(series[i]!);
      if (entry !== undefined) presence.heard(entry.rowId, now);
    }
    parts.wakeReaders(committed.part);
  }
  bus.on('picture', ({ series, at, type, size }, from) => {
    if (from === undefined) return;
    recent.noteNewest(series, at, { type, size } as never);
    hub.pictured(series, at, { type, size } as never);
  });
  return {
    has: connections.has,
    committed({ others }) {
      sayCommit();
      for (const { series, at, value } of others)
        if (typeof value === 'object' && 'bytes' in value)
          bus.outward('picture', { series, at, type: value.type, size: value.size });
    },
    alive: book.alive,
    place: book.place,
    timePart: () => (book.allSince(FINE_TIMES_SINCE) ? id % NODE_PARTS : 0),
    beat: () => book.beat().catch(() => undefined),
    list: book.list,
    async stop() {
      following.stop();
      await connections.stop();
      await news.stop();
      await link?.stop();
      await book.stop();
    },
  };
}

/** Of each writer the newest commit that is in chunks or in memory. */
async function reachedOf(store: Store, tail: readonly JournalPlace[]): Promise<JournalPlace[]> {
  const folded = await store.withConnection((connection) => offsetsOf(connection, 'folding'));
  return [...folded, ...tail];
}

/** Several deployments may use one bus: each has a channel of its own. */
async function channelOf(store: Store): Promise<string> {
  return `peatmoor:${await secretOf(store, 'bus', () => randomBytes(12).toString('hex'))}`;
}
