import { useEffect } from 'react';
import type { Draft } from './useDraft';

/** As everywhere: Ctrl+Z takes the last change back, Ctrl+Shift+Z or Ctrl+Y does it again, but not while something is written. */
export function useUndoKeys(active: boolean, { undo, redo }: Pick<Draft, 'undo' | 'redo'>): void {
  useEffect(() => {
    if (!active) return;
    const take = (event: KeyboardEvent): void => {
      const writing =
        event.target instanceof HTMLElement && event.target.matches('input, textarea, [contenteditable]');
      if (writing || !(event.ctrlKey || event.metaKey)) return;
      const key = event.key.toLowerCase();
      const act = key === 'y' || (key === 'z' && event.shiftKey) ? redo : key === 'z' ? undo : null;
      if (act === null) return;
      event.preventDefault();
      act();
    };
    window.addEventListener('keydown', take);
    return () => window.removeEventListener('keydown', take);
  }, [active, undo, redo]);
}
