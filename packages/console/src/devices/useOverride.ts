import { useEffect, useRef } from 'react';
import { ApiError } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import type { Control } from './useControl';
import { serviceNow } from '../live/clock';

/** How long it is done without an interlock, in minutes. */
export const OVERRIDE_MINUTES = 10;

/**
 * Where a press was refused because a rule holds the control, asks whether to override that. `done`: it is overridden now, and what was
 * refused can be pressed again.
 */
export function useOverride({ device, stream, error, barred }: Control): {
  failed: Error | null;
  done: boolean;
} {
  const override = useChange('overrideInterlocks', ['listInterlocks']);
  const ask = useAsk();
  const asked = useRef<Error | null>(null);
  const refused = error instanceof ApiError && error.problem.status === 409 && device !== null;
  const of = useRead('listInterlocks', { params: { device: device ?? '' } }, refused).data?.find(
    (one) => one.stream === stream,
  );
  const isOver = of !== undefined && of.override !== null && of.override.until > serviceNow();
  const holds = refused && barred === null && of?.interlocks.some((one) => one.holds) === true;
  useEffect(() => {
    if (!holds || isOver || asked.current === error) return;
    // Each refusal asks once.
    asked.current = error;
    void ask({
      title: `Override it for ${OVERRIDE_MINUTES} min?`,
      text: error!.message,
      action: `Override for ${OVERRIDE_MINUTES} min`,
    }).then((yes) => {
      if (yes) override.mutate({ params: { device: device! }, body: { stream, minutes: OVERRIDE_MINUTES } });
    });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- it is asked for the refusal, whatever is drawn meanwhile
  }, [holds, isOver, error]);
  return { failed: override.error, done: holds && isOver };
}
