import type { LiveMessage } from '@peatmoor/contract';
import type { Scope } from '../api/scope';
import type { Registry } from '../registry';
import { devicesSeen, narrowed } from '../sharing/reach';
import type { Watched } from './audience';

/** What a page sees that sees only a part of the workspace: datastreams by the ID of their device. */
export interface PartSeen {
  isVisitor: boolean;
  devices: ReadonlyMap<string, ReadonlySet<string>>;
}

/** What the page of a caller sees; null for all of the workspace. */
export async function partSeenBy(
  registry: Registry,
  scope: Pick<Scope, 'role' | 'reach' | 'visit'>,
): Promise<PartSeen | null> {
  const rowIds = devicesSeen(scope);
  if (rowIds === null) return null;
  const entries = [...(await registry.load(rowIds)).values()].map((entry) => narrowed(scope, entry));
  return {
    isVisitor: scope.visit !== null,
    devices: new Map(entries.map(({ id, streams }) => [id, new Set(streams.map(({ key }) => key))])),
  };
}

/**
 * Who hears a message beside those who see the whole workspace: everybody, whoever sees its device as far as they see it, people
 * who do (no visitors), or nobody. The table of calls, for messages: a new sort of message has to say.
 */
export const HEARD_BY: Record<LiveMessage['type'], 'all' | 'shown' | 'follow' | 'nobody'> = {
  hello: 'all',
  beat: 'all',
  watching: 'all',
  again: 'all',
  readings: 'shown',
  past: 'shown',
  heard: 'shown',
  has: 'shown',
  command: 'follow',
  arrival: 'nobody',
  event: 'nobody',
  firstOnline: 'nobody',
  alert: 'nobody',
  // That something did; never what, or by whom.
  changed: 'all',
};

/** What changed and is told to those who see a part. */
const TOLD: ReadonlySet<string> = new Set(['devices', 'kinds', 'dashboards', 'grants']);

/** A message as a page that sees only a part hears it; null for not at all. */
export function heardBy({ isVisitor, devices }: PartSeen, message: LiveMessage): LiveMessage | null {
  const by = HEARD_BY[message.type];
  if (by === 'nobody' || (by === 'follow' && isVisitor)) return null;
  switch (message.type) {
    case 'readings': {
      const seen = devices.get(message.device);
      const values = message.values.filter(([key]) => seen?.has(key));
      return values.length === 0 ? null : { ...message, values };
    }
    case 'past': {
      const seen = devices.get(message.device);
      const streams = message.streams.filter((key) => seen?.has(key));
      return streams.length === 0 ? null : { ...message, streams };
    }
    case 'heard':
      return devices.has(message.device) ? message : null;
    case 'has':
      return devices.get(message.device)?.has(message.stream) ? message : null;
    case 'command':
      return devices.get(message.command.deviceId)?.has(message.command.stream) ? message : null;
    case 'changed':
      return TOLD.has(message.what) ? { type: 'changed', what: message.what } : null;
    default:
      return message;
  }
}

/** Of what a page wants to listen to, what it sees. */
export function mayWatch(part: PartSeen | null, watched: Watched): Watched {
  if (part === null) return watched;
  return watched === 'all'
    ? new Set(part.devices.keys())
    : new Set([...watched].filter((id) => part.devices.has(id)));
}
