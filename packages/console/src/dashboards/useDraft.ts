import { useCallback, useEffect, useRef, useState } from 'react';
import type { Widget } from '@peatmoor/core';
import { ApiError, type Dashboard, type DashboardLook } from '@peatmoor/contract';
import { api, queryClient } from '../api';
import { useLive } from '../live';
import { keepUnsent, readUnsent } from './unsent';

const KEEP_AFTER_MS = 400;
const MOST_STEPS = 50;

export interface Content extends DashboardLook {
  title: string;
  kindId: number | null;
  widgets: Widget[];
}

const contentOf = ({
  title,
  kindId,
  widgets,
  icon,
  colour,
  labels,
  forLabel,
  pages,
}: Dashboard): Content => ({
  title,
  kindId,
  widgets,
  icon,
  colour,
  labels,
  forLabel,
  pages,
});

/** Two versions of a dashboard, of which one can be: one's own, and what somebody else made of it meanwhile. */
export interface Conflict {
  mine: Content;
  theirs: Dashboard;
  takeTheirs: () => void;
  /** Puts one's own in the place of the other. */
  keepMine: () => void;
  /** Keeps one's own as a dashboard beside the other; gives its number. */
  keepBoth: () => Promise<number>;
}

export interface Draft {
  content: Content | null;
  /** kept: all is on the service; keeping: under way; conflict: somebody else was faster. */
  state: 'kept' | 'keeping' | 'conflict' | 'failed';
  error: Error | null;
  conflict: Conflict | null;
  /** Who changed it last, when that was somebody else just now. */
  changedBy: string | null;
  /** Changes what there is at that moment, be it of a second ago. */
  edit: (change: (content: Content) => Content) => void;
  undo: (() => void) | null;
  redo: (() => void) | null;
}

const isUnreached = (error: unknown): boolean =>
  error instanceof ApiError && (error.problem.status === 0 || error.problem.status >= 500);
const isConflict = (error: unknown): boolean =>
  error instanceof ApiError && [409, 412].includes(error.problem.status);

/**
 * A dashboard that keeps its changes by itself, can undo them, and never overwrites what somebody else did. What could not be
 * sent stays in the browser, and is sent later, or shown beside what somebody else made meanwhile.
 */
export function useDraft(id: number): Draft {
  const [content, setContent] = useState<Content | null>(null);
  const [past, setPast] = useState<Content[]>([]);
  const [future, setFuture] = useState<Content[]>([]);
  const [state, setState] = useState<Draft['state']>('kept');
  const [error, setError] = useState<Error | null>(null);
  const [theirs, setTheirs] = useState<Dashboard | null>(null);
  const [changedBy, setChangedBy] = useState<string | null>(null);
  const version = useRef(0);
  const pending = useRef<Content | null>(null);
  /** What is shown, or will be with the next drawing. */
  const newest = useRef<Content | null>(null);
  const saving = useRef<Promise<void>>(Promise.resolve());
  const timer = useRef(0);
  const { changed, connected } = useLive();

  const show = useCallback((next: Content): void => {
    newest.current = next;
    setContent(next);
  }, []);
  const take = useCallback(
    (one: Dashboard): void => {
      version.current = one.version;
      keepUnsent(id, null);
      show(contentOf(one));
      setState('kept');
      setError(null);
      setTheirs(null);
    },
    [id, show],
  );
  const read = useCallback(() => api.call('readDashboard', { params: { dashboard: id } }), [id]);

  const keep = useCallback((): void => {
    saving.current = saving.current.then(async () => {
      const next = pending.current;
      if (next === null) return;
      pending.current = null;
      try {
        const kept = await api.call('changeDashboard', {
          params: { dashboard: id },
          body: { version: version.current, ...next },
        });
        version.current = kept.version;
        void queryClient.invalidateQueries({ queryKey: ['listDashboards'] });
        if (pending.current !== null) return;
        keepUnsent(id, null);
        setState('kept');
        setError(null);
      } catch (failure) {
        setError(failure as Error);
        // Kept for when the service is reached again; a refusal is final.
        if (isUnreached(failure)) pending.current ??= next;
        setState(isConflict(failure) ? 'conflict' : 'failed');
        if (isConflict(failure)) setTheirs(await read().catch(() => null));
      }
    });
  }, [id, read]);
  const put = useCallback(
    (next: Content): void => {
      show(next);
      pending.current = next;
      keepUnsent(id, { version: version.current, content: next });
      setState((now) => (now === 'conflict' ? now : 'keeping'));
      clearTimeout(timer.current);
      timer.current = window.setTimeout(keep, KEEP_AFTER_MS);
    },
    [id, keep, show],
  );

  const load = useCallback((): void => {
    read().then((one) => {
      const unsent = readUnsent(id);
      take(one);
      if (unsent === null) return;
      keepUnsent(id, unsent);
      show(unsent.content);
      // Left here by a page that was closed before the service had it.
      if (unsent.version === one.version) return put(unsent.content);
      setTheirs(one);
      setState('conflict');
    }, setError);
  }, [id, read, take, put, show]);
  useEffect(load, [load]);
  // What is not yet kept when the page is left is kept then.
  useEffect(() => () => (clearTimeout(timer.current), keep()), [keep]);

  /** Takes what somebody else changed meanwhile, where nothing of one's own is to be kept. */
  const catchUp = useCallback((): (() => void) => {
    let gone = false;
    const look = async (): Promise<void> => {
      const current = await read();
      if (gone || current.version <= version.current || pending.current !== null) return;
      if (readUnsent(id) !== null) return;
      setPast([]);
      setFuture([]);
      setChangedBy(current.changedBy);
      take(current);
    };
    // Without an answer it is looked again when the link is back.
    saving.current.then(look).catch(() => undefined);
    return () => {
      gone = true;
    };
  }, [id, read, take]);
  useEffect(() => {
    if (!connected || version.current === 0) return;
    // First what could not be sent while the link was lost.
    if (pending.current !== null) keep();
    return catchUp();
  }, [connected, keep, catchUp]);
  useEffect(
    () => (changed?.what === 'dashboards' && changed.id === id ? catchUp() : undefined),
    [changed, id, catchUp],
  );

  const conflict: Conflict | null =
    state !== 'conflict' || theirs === null || content === null
      ? null
      : {
          mine: content,
          theirs,
          takeTheirs: () => ((pending.current = null), setPast([]), setFuture([]), take(theirs)),
          keepMine: () => {
            version.current = theirs.version;
            setTheirs(null);
            setState('keeping');
            put(content);
          },
          keepBoth: async () => {
            const made = await api.call('createDashboard', {
              body: { ...content, title: `${content.title.slice(0, 70)} (mine)` },
            });
            pending.current = null;
            take(theirs);
            void queryClient.invalidateQueries({ queryKey: ['listDashboards'] });
            return made.id;
          },
        };
  return {
    content,
    state,
    error,
    conflict,
    changedBy,
    edit: (change) => {
      const before = newest.current;
      if (before === null) return;
      setPast((list) => [...list.slice(1 - MOST_STEPS), before]);
      setFuture([]);
      setChangedBy(null);
      put(change(before));
    },
    undo:
      past.length === 0
        ? null
        : () => {
            const now = newest.current!;
            setFuture((list) => [now, ...list]);
            setPast((list) => list.slice(0, -1));
            put(past.at(-1)!);
          },
    redo:
      future.length === 0
        ? null
        : () => {
            const now = newest.current!;
            setPast((list) => [...list, now]);
            setFuture((list) => list.slice(1));
            put(future[0]!);
          },
  };
}
