export * from './token';
export * from './deviceId';
export * from './presence';
export * from './proof';
export * from './estimate';
export * from './touch';
