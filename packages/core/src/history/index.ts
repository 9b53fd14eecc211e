export * from './series';
export * from './bytes';
export * from './pack';
export * from './rollup';
export * from './buckets';
export * from './batch';
