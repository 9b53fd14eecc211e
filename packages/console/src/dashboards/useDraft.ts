import { useCallback, useEffect, useRef, useState } from 'react';
import type { Widget } from '@peatmoor/core';
import { ApiError, type Dashboard } from '@peatmoor/contract';
import { api, queryClient } from '../api';
import { useLive } from '../live';

const KEEP_AFTER_MS = 400;

export interface Content {
  title: string;
  widgets: Widget[];
}

export interface Draft {
  content: Content | null;
  kindId: number | null;
  /** kept: all is on the service; keeping: under way; conflict: somebody else was faster. */
  state: 'kept' | 'keeping' | 'conflict' | 'failed';
  error: Error | null;
  /** Who changed it last, when that was somebody else just now. */
  changedBy: string | null;
  /** Changes what there is at that moment, be it of a second ago. */
  edit: (change: (content: Content) => Content) => void;
  undo: (() => void) | null;
  /** Takes what is on the service, leaving own unkept changes. */
  reload: () => void;
}

/** A dashboard that keeps its changes by itself, can undo them, and never overwrites what somebody else did. */
export function useDraft(id: number): Draft {
  const [dashboard, setDashboard] = useState<Dashboard | null>(null);
  const [content, setContent] = useState<Content | null>(null);
  const [past, setPast] = useState<Content[]>([]);
  const [state, setState] = useState<Draft['state']>('kept');
  const [error, setError] = useState<Error | null>(null);
  const [changedBy, setChangedBy] = useState<string | null>(null);
  const version = useRef(0);
  const pending = useRef<Content | null>(null);
  /** What is shown, or will be with the next drawing. */
  const newest = useRef<Content | null>(null);
  const saving = useRef<Promise<void>>(Promise.resolve());
  const timer = useRef(0);
  const { changed, connected } = useLive();

  const take = useCallback((one: Dashboard): void => {
    version.current = one.version;
    setDashboard(one);
    newest.current = { title: one.title, widgets: one.widgets };
    setContent(newest.current);
    setState('kept');
    setError(null);
  }, []);
  const read = useCallback(() => api.call('readDashboard', { params: { dashboard: id } }), [id]);
  const reload = useCallback((): void => {
    pending.current = null;
    setPast([]);
    setChangedBy(null);
    read().then(take, setError);
  }, [read, take]);
  useEffect(reload, [reload]);

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
        setDashboard(kept);
        void queryClient.invalidateQueries({ queryKey: ['listDashboards'] });
        if (pending.current === null) {
          setState('kept');
          setError(null);
        }
      } catch (failure) {
        setError(failure as Error);
        // Kept for when the service is reached again; a refusal is final.
        if (failure instanceof ApiError && (failure.problem.status === 0 || failure.problem.status >= 500))
          pending.current ??= next;
        setState(
          failure instanceof ApiError && [409, 412].includes(failure.problem.status) ? 'conflict' : 'failed',
        );
      }
    });
  }, [id]);
  const put = useCallback(
    (next: Content): void => {
      newest.current = next;
      setContent(next);
      pending.current = next;
      setState('keeping');
      clearTimeout(timer.current);
      timer.current = window.setTimeout(keep, KEEP_AFTER_MS);
    },
    [keep],
  );
  // What is not yet kept when the page is left is kept then.
  useEffect(() => () => (clearTimeout(timer.current), keep()), [keep]);

  /** Takes what somebody else changed meanwhile, where nothing of one's own is to be kept. */
  const catchUp = useCallback((): (() => void) => {
    let gone = false;
    const look = async (): Promise<void> => {
      const current = await read();
      if (gone || current.version <= version.current || pending.current !== null) return;
      setPast([]);
      setChangedBy(current.changedBy);
      take(current);
    };
    // Without an answer it is looked again when the link is back.
    saving.current.then(look).catch(() => undefined);
    return () => {
      gone = true;
    };
  }, [read, take]);
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

  return {
    content,
    kindId: dashboard?.kindId ?? null,
    state,
    error,
    changedBy,
    edit: (change) => {
      const before = newest.current;
      if (before === null) return;
      setPast((list) => [...list.slice(-49), before]);
      setChangedBy(null);
      put(change(before));
    },
    undo:
      past.length === 0
        ? null
        : () => {
            setPast((list) => list.slice(0, -1));
            put(past.at(-1)!);
          },
    reload,
  };
}
