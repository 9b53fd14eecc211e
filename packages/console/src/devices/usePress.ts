import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { ApiError, type Command } from '@peatmoor/contract';
import { api, newKey } from '../api';
import { firstHeard, serviceNow, useLive } from '../live';

/** How long a press may take to reach the service; later it is refused there. */
const PRESS_MS = 5000;
const AGAIN_MS = 1000;
/** How long a page that was just opened may take to hear of the service. */
const FIRST_MS = 4000;
const NOT_CONNECTED = 'Not connected: nothing was sent. Press it again once the link is back.';
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** What became of the last press of a control. */
export interface Press {
  press(value: number | boolean | string): void;
  /** sending: no answer yet. not known: none came, and it is being looked up. */
  state: 'still' | 'sending' | 'not known';
  error: Error | null;
}

/**
 * Wants a value on a control. Nothing is ever sent late: without a link it fails at once, and what reaches the service after its
 * time is refused. Where no answer came, it is looked up what became of it.
 */
export function usePress(device: string, stream: string): Press {
  const client = useQueryClient();
  const { lostAt } = useLive();
  const [state, setState] = useState<Press['state']>('still');
  const [error, setError] = useState<Error | null>(null);
  const isShown = useRef(true);
  useEffect(() => {
    isShown.current = true;
    return () => {
      isShown.current = false;
    };
  }, []);
  const queryKey = ['listCommands', { params: { device } }];

  /** Asks until the service answers; gives the newest command of the control. */
  const lookUp = async (): Promise<Command | undefined> => {
    while (isShown.current) {
      try {
        const list = await api.call('listCommands', { params: { device }, withinMs: PRESS_MS });
        client.setQueryData(queryKey, list);
        return list.find((one) => one.stream === stream);
      } catch (failure) {
        if (failure instanceof ApiError && failure.problem.status !== 0 && failure.problem.status < 500)
          return undefined;
        await pause(AGAIN_MS);
      }
    }
    return undefined;
  };
  const send = async (value: number | boolean | string): Promise<void> => {
    const began = performance.now();
    // A page that was just opened does not know the service's time yet.
    const isHeard = await Promise.race([firstHeard.then(() => true), pause(FIRST_MS).then(() => false)]);
    if (!isHeard) throw new Error(NOT_CONNECTED);
    const pressedAt = serviceNow() - (performance.now() - began);
    const at = Math.floor(pressedAt);
    const until = Math.ceil(at + PRESS_MS);
    const before = client.getQueryData<Command[]>(queryKey)?.find((one) => one.stream === stream)?.id ?? 0;
    try {
      await api.call('createCommand', {
        params: { device },
        body: { stream, value, until, at },
        once: newKey(),
        withinMs: PRESS_MS,
      });
    } catch (failure) {
      if (!(failure instanceof ApiError) || failure.problem.status !== 0) throw failure;
      setState('not known');
      // What is still under way is refused from then on: what is there afterwards is all there will be.
      await pause(Math.max(0, until - serviceNow()) + AGAIN_MS);
      const newest = await lookUp();
      if (newest === undefined || newest.id <= before)
        throw new Error('No answer came in time, and it was not sent. Press it again if it is still right.', {
          cause: failure,
        });
    }
  };
  const press = (value: number | boolean | string): void => {
    if (state !== 'still') return;
    if (lostAt !== null || !navigator.onLine) return setError(new Error(NOT_CONNECTED));
    setError(null);
    setState('sending');
    send(value)
      .catch((failure: Error) => setError(failure))
      .finally(() => setState('still'));
  };
  return { press, state, error };
}
