import type { QueryClient } from '@tanstack/react-query';
import {
  BEAT_MS,
  LIVE_PATH,
  type Arrival,
  type ChangedWhat,
  type Command,
  type LiveMessage,
} from '@peatmoor/contract';
import { hasBegun } from '../began';
import { under } from '../base';
import { putInList } from './lists';
import { noteServiceTime, serviceTimeOf } from './clock';
import { kept } from '../parts/kept';
import { forVisitor, isVisitor } from '../visitor';
import { liveStore } from './store';

/** What is known of the link to the service. */
export interface LiveState {
  connected: boolean;
  /** Since when it is not; null while it is. */
  lostAt: number | null;
  /** The last change somebody made, for notices. */
  changed: { what: ChangedWhat; id?: string | number; by?: string; at: number } | null;
  /** Devices that came online for the first time while this page is open. */
  arrived: { device: string; name: string; at: number }[];
  /** The newest alerts for people who look at open pages. */
  alerts: (Extract<LiveMessage, { type: 'alert' }> & { at: number })[];
}

export const BEGINNING: LiveState = {
  connected: false,
  lostAt: null,
  changed: null,
  arrived: [],
  alerts: [],
};

let greeted: () => void;
/** Settles when the service was heard for the first time: from then on its time is known. */
export const firstHeard = new Promise<void>((resolve) => (greeted = resolve));
/** What is read again when something changed. */
const STALE: Record<ChangedWhat, string[]> = {
  kinds: ['listKinds', 'readKind', 'listDevices', 'listRules', 'listFirmware', 'listRounds'],
  devices: ['listDevices', 'readDevice', 'listTokens', 'listKinds'],
  dashboards: ['listDashboards', 'readDashboard', 'listLinks', 'readShared'],
  rules: ['listRules', 'listEvents', 'listMutes', 'listInterlocks'],
  events: ['listEvents', 'readEvent', 'countEvents', 'listRules', 'listDevices', 'listInterlocks'],
  recomputations: ['listRecomputations'],
  people: ['listPeople', 'me'],
  timetables: ['listTimetables'],
  notes: ['listNotes'],
  links: ['listLinks'],
  grants: ['listGrants', 'listDevices', 'readDevice', 'listDashboards', 'listKinds', 'me'],
  arrivals: ['listArrivals', 'listAllArrivals'],
};

/** How often lists of messages change at most, in ms: what comes faster is listed together. */
const ARRIVALS_MS = 250;
const MOST_ARRIVALS = 200;
let gathered: Arrival[] = [];

function gatherArrival(client: QueryClient, arrival: Arrival): void {
  if (gathered.length === 0) setTimeout(() => listArrivals(client), ARRIVALS_MS);
  gathered.push(arrival);
}

function listArrivals(client: QueryClient): void {
  const fresh = gathered;
  gathered = [];
  const into = (queryKey: unknown[], arrivals: readonly Arrival[]): void =>
    putInList(
      client,
      { queryKey, order: (a, b) => b.receivedAt - a.receivedAt, most: MOST_ARRIVALS },
      [...arrivals].reverse(),
    );
  into(['listAllArrivals'], fresh);
  for (const device of new Set(fresh.map(({ deviceId }) => deviceId)))
    into(
      ['listArrivals', { params: { device } }],
      fresh.filter(({ deviceId }) => deviceId === device),
    );
}

function take(client: QueryClient, message: LiveMessage): void {
  if (message.type === 'readings') liveStore.readings(message.device, message.values, message.heard);
  if (message.type === 'heard') liveStore.heard(message.device, message.at);
  if (message.type === 'has')
    liveStore.said(message.device, message.stream, { at: message.at, value: message.value });
  if (message.type === 'past') readPastAgain(client, message.device);
  // Messages that came before the page was heard.
  if (message.type === 'watching')
    for (const name of STALE.arrivals) void client.invalidateQueries({ queryKey: [name] });
  if (message.type === 'changed')
    for (const name of STALE[message.what]) void client.invalidateQueries({ queryKey: [name] });
  if (message.type === 'arrival') gatherArrival(client, message.arrival);
  if (message.type === 'command')
    putInList(
      client,
      {
        queryKey: ['listCommands', { params: { device: message.command.deviceId } }],
        order: (a: Command, b: Command) => b.id - a.id,
      },
      [message.command],
    );
}

/** What shows the past of a device. */
const PAST = ['calendar', 'statistics', 'listOthers', 'overview'];
/** How soon what is shown is read again after one late reading, and how often while more come: a backlog costs nobody else. */
const PAST_MS = 500;
const PAST_AGAIN_MS = 5000;
const readPastAt = new Map<string, number>();
const waitsForPast = new Set<string>();

/** Reads what is shown of a device's past again: at once, and then now and then for as long as more comes. */
function readPastAgain(client: QueryClient, device: string): void {
  if (waitsForPast.has(device)) return;
  waitsForPast.add(device);
  const since = performance.now() - (readPastAt.get(device) ?? -PAST_AGAIN_MS);
  setTimeout(
    () => {
      waitsForPast.delete(device);
      readPastAt.set(device, performance.now());
      void client.invalidateQueries({ queryKey: ['history', device] });
      for (const name of PAST) void client.invalidateQueries({ queryKey: [name] });
    },
    Math.max(PAST_MS, PAST_AGAIN_MS - since),
  );
}

const HEARD = 'peatmoor heard';
/** Without a word for so long, a link is dead, in ms. */
const SILENT_MS = 3 * BEAT_MS;
/** Within so long pages read again what they may have missed, in ms. */
const READ_AGAIN_MS = 1500;
/** Close code of a page that is signed out (RFC 6455 §7.4.2). */
const SIGNED_OUT = 4401;

interface LinkParts {
  client: QueryClient;
  onState(change: (before: LiveState) => Partial<LiveState>): void;
}

/** The live channel: opened again whenever it is lost, and given up for lost when nothing is heard any more. */
export function openLink({ client, onState }: LinkParts): { end(): void } {
  let socket: WebSocket | null = null;
  let timer = 0;
  let wait = 500;
  let ended = false;
  let isFirst = true;
  let said = '';
  let later = 0;
  /** When anything was heard last: by an earlier page too, so that what is shown without the service has its age. */
  let heardAt = Number(kept.read(HEARD)) || Date.now();
  let openedAt = Date.now();
  const say = (): void => {
    const text = JSON.stringify(liveStore.watched());
    if (socket?.readyState !== WebSocket.OPEN || text === said) return;
    said = text;
    socket.send(text);
  };
  // What a page shows changes in bursts as it is drawn.
  liveStore.onWatch(() => {
    clearTimeout(later);
    later = window.setTimeout(say, 60);
  });
  const hear = (message: LiveMessage): void => {
    heardAt = Date.now();
    if (message.type === 'hello' || message.type === 'beat') {
      noteServiceTime(message.now);
      kept.write(HEARD, String(heardAt));
    }
    if (message.type === 'hello') {
      // After a break everything is read anew.
      if (wait > 500) void client.invalidateQueries();
      // What came with the page may have changed before this was heard.
      else if (hasBegun && isFirst) void client.invalidateQueries({ queryKey: ['listDevices'] });
      isFirst = false;
      wait = 500;
      greeted();
      onState(() => ({ connected: true, lostAt: null }));
    }
    // Not all pages at the same moment.
    if (message.type === 'again')
      setTimeout(() => void client.invalidateQueries(), Math.random() * READ_AGAIN_MS);
    if (message.type === 'changed') onState(() => ({ changed: { ...message, at: Date.now() } }));
    if (message.type === 'firstOnline')
      onState(({ arrived }) => ({ arrived: [...arrived, message].slice(-5) }));
    if (message.type === 'alert')
      onState(({ alerts }) => ({
        alerts: [...alerts, { ...message, at: Date.now() + alerts.length / 1000 }].slice(-20),
      }));
    take(client, message);
  };
  /** Whether this page may still be here. */
  const askAgain = (): void => void client.invalidateQueries({ queryKey: [isVisitor ? 'readShared' : 'me'] });
  const lost = (code?: number): void => {
    if (ended || socket === null) return;
    // A dead link may take minutes to be closed: it is left behind.
    socket.onopen = socket.onmessage = socket.onclose = null;
    socket.close();
    socket = null;
    onState(({ lostAt }) => ({ connected: false, lostAt: lostAt ?? serviceTimeOf(heardAt) }));
    if (code === SIGNED_OUT) askAgain();
    wait = Math.min(10_000, wait * 2);
    clearTimeout(timer);
    timer = window.setTimeout(connect, wait);
  };
  const connect = (): void => {
    clearTimeout(timer);
    openedAt = Date.now();
    said = '';
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws';
    socket = new WebSocket(`${scheme}://${location.host}${under(forVisitor(LIVE_PATH))}`);
    socket.onopen = say;
    socket.onmessage = (event: MessageEvent<string>) => hear(JSON.parse(event.data) as LiveMessage);
    socket.onclose = ({ code }) => {
      // Refused before it was open: perhaps nobody is signed in any more.
      if (code === 1006) askAgain();
      lost(code);
    };
  };
  const look = (): void => {
    if (socket !== null && Date.now() - Math.max(heardAt, openedAt) > SILENT_MS) lost();
  };
  const watch = window.setInterval(look, 1000);
  const onOffline = (): void => lost();
  const onOnline = (): void => {
    if (socket === null) connect();
  };
  // A tab that slept looks at once.
  const onVisible = (): void => {
    if (document.visibilityState !== 'visible') return;
    look();
    if (socket === null) connect();
  };
  window.addEventListener('offline', onOffline);
  window.addEventListener('online', onOnline);
  document.addEventListener('visibilitychange', onVisible);
  connect();
  return {
    end() {
      ended = true;
      clearTimeout(timer);
      clearTimeout(later);
      clearInterval(watch);
      window.removeEventListener('offline', onOffline);
      window.removeEventListener('online', onOnline);
      document.removeEventListener('visibilitychange', onVisible);
      socket?.close();
    },
  };
}
