import { useRef, useState } from 'react';
import type { AlertChoices, ApiError } from '@peatmoor/contract';
import { useChange } from '../api';

/**
 * How somebody wants to be alerted, as it is being changed: shown at once, sent one after the other, so that a second
 * change made before the first was answered neither loses it nor overtakes it. What fails shows what there is again.
 */
export function useChoices(kept: AlertChoices): {
  choices: AlertChoices;
  put: (part: Partial<AlertChoices>) => void;
  error: ApiError | null;
} {
  const change = useChange('changeMyAlerts', ['readMyAlerts']);
  const [ahead, setAhead] = useState<AlertChoices | null>(null);
  const newest = useRef<AlertChoices | null>(null);
  const sending = useRef<Promise<unknown>>(Promise.resolve());
  const put = (part: Partial<AlertChoices>): void => {
    const next = { ...(newest.current ?? kept), ...part };
    newest.current = next;
    setAhead(next);
    sending.current = sending.current
      .then(() => change.mutateAsync({ body: next }))
      .catch(() => undefined)
      .then(() => {
        if (newest.current !== next) return;
        newest.current = null;
        setAhead(null);
      });
  };
  return { choices: ahead ?? kept, put, error: change.error };
}
