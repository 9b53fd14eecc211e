import { useSearchParams } from 'react-router';
import { FIRST_PERIOD, PERIODS, type Period } from './period';

/** The period of the page's charts, as the address says it, so that it can be sent and is there after a reload. */
export function usePeriod(first: Period = FIRST_PERIOD): [Period, (period: Period) => void] {
  const [search, setSearch] = useSearchParams();
  const period = PERIODS.find(({ key }) => key === search.get('period')) ?? first;
  const choose = (next: Period): void =>
    setSearch(
      (before) => {
        before.set('period', next.key);
        return before;
      },
      { replace: true },
    );
  return [period, choose];
}
