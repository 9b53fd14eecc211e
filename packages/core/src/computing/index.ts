export * from './formula';
export * from './accumulate';
export * from './compute';
export * from './check';
export * from './words';
