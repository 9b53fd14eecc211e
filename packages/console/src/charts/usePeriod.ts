import { useMemo } from 'react';
import { useAddress } from '../parts/useAddress';
import { FIRST_PERIOD, periodOf, type Period } from './period';

/** The period of the page's charts, as the address says it, so that it can be sent and is there after a reload. */
export function usePeriod(first: Period = FIRST_PERIOD): [Period, (period: Period) => void] {
  const [key, setKey] = useAddress('period');
  const period = useMemo(() => periodOf(key) ?? first, [key, first]);
  return [period, (next) => setKey(next.key)];
}
