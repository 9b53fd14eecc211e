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
export { serviceNow } from './link';
export { liveStore } from './store';
