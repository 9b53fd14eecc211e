export {
  LiveProvider,
  useAllShown,
  useHeardUntil,
  useLastSeen,
  useLive,
  useNewest,
  useNow,
  useShown,
} from './hooks';
export { firstHeard, serviceNow } from './link';
export { SightContext, useSight } from './sight';
export { liveStore } from './store';
export { useHeld } from './useHeld';
