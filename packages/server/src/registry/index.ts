export { createRegistry, type Registry, type SeriesOwner } from './registry';
export type { DeviceEntry, DeviceStream } from './entry';
export { hashSecret, type TokenVerdict } from './tokens';
