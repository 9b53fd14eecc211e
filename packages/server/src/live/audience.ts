import type { WebSocket } from 'ws';

/** Devices that a page listens to. */
export type Watched = 'all' | ReadonlySet<string>;

/** Who listens to which devices of which workspace, found by device, so that a message costs only those who want it. */
export interface Audience {
  /** Says anew what a page listens to. */
  set(page: WebSocket, workspaceId: number, watched: Watched): void;
  forget(page: WebSocket): void;
  of(workspaceId: number, device: string): Iterable<WebSocket>;
  /** Workspaces of whose devices somebody listens to any. */
  workspaces(): number[];
  /** True where nobody listens to anything. */
  isEmpty(): boolean;
}

export function createAudience(): Audience {
  const whole = new Map<number, Set<WebSocket>>();
  const single = new Map<string, Set<WebSocket>>();
  const kept = new Map<WebSocket, { workspaceId: number; watched: Watched }>();
  const nameOf = (workspaceId: number, device: string): string => `${workspaceId}/${device}`;

  const forget = (page: WebSocket): void => {
    const known = kept.get(page);
    if (known === undefined) return;
    kept.delete(page);
    if (known.watched === 'all') return leave(whole, known.workspaceId, page);
    for (const device of known.watched) leave(single, nameOf(known.workspaceId, device), page);
  };
  return {
    forget,
    set(page, workspaceId, watched) {
      forget(page);
      if (watched !== 'all' && watched.size === 0) return;
      kept.set(page, { workspaceId, watched });
      if (watched === 'all') return enter(whole, workspaceId, page);
      for (const device of watched) enter(single, nameOf(workspaceId, device), page);
    },
    *of(workspaceId, device) {
      yield* whole.get(workspaceId) ?? [];
      yield* single.get(nameOf(workspaceId, device)) ?? [];
    },
    workspaces: () => [...new Set(Array.from(kept.values(), ({ workspaceId }) => workspaceId))],
    isEmpty: () => kept.size === 0,
  };
}

function enter<K>(map: Map<K, Set<WebSocket>>, key: K, page: WebSocket): void {
  const pages = map.get(key);
  if (pages === undefined) map.set(key, new Set([page]));
  else pages.add(page);
}

function leave<K>(map: Map<K, Set<WebSocket>>, key: K, page: WebSocket): void {
  const pages = map.get(key);
  pages?.delete(page);
  if (pages?.size === 0) map.delete(key);
}
