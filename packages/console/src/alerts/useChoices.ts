import { useEffect, useRef, useState } from 'react';
import type { AlertChoices, ApiError } from '@peatmoor/contract';
import { useChange } from '../api';

/** What is changed, made from how it stands at that moment, which may be newer than what is drawn. */
export type PutChoices = (part: (now: AlertChoices) => Partial<AlertChoices>) => void;

/**
 * How somebody wants to be alerted, as it is being changed: shown at once, sent one after the other, so that a second
 * change made before the first was answered neither loses it nor overtakes it. What was sent stays shown until it has
 * been read back: a moment of what was before would throw away what is being typed. What fails shows what there is.
 */
export function useChoices(kept: AlertChoices): {
  choices: AlertChoices;
  put: PutChoices;
  error: ApiError | null;
} {
  const change = useChange('changeMyAlerts', ['readMyAlerts']);
  const [ahead, setAhead] = useState<AlertChoices | null>(null);
  const newest = useRef<AlertChoices | null>(null);
  const sending = useRef<Promise<unknown>>(Promise.resolve());
  const underWay = useRef(0);
  const letGo = (): void => {
    newest.current = null;
    setAhead(null);
  };
  useEffect(() => {
    if (underWay.current === 0) letGo();
  }, [kept]);
  const put: PutChoices = (part) => {
    const now = newest.current ?? kept;
    const next = { ...now, ...part(now) };
    newest.current = next;
    setAhead(next);
    underWay.current += 1;
    sending.current = sending.current
      .then(() => change.mutateAsync({ body: next }))
      .catch(() => newest.current === next && letGo())
      .then(() => {
        underWay.current -= 1;
      });
  };
  return { choices: ahead ?? kept, put, error: change.error };
}
