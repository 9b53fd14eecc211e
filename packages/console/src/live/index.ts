export {
  LiveProvider,
  useAllShown,
  useHas,
  useHeardUntil,
  useLastSeen,
  useLive,
  useNewest,
  useNow,
  useShown,
} from './hooks';
export { serviceNow } from './clock';
export { firstHeard } from './link';
export { SightContext, useSight } from './sight';
export { liveStore } from './store';
export { useHeld } from './useHeld';
