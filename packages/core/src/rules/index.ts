export * from './condition';
export * from './step';
export * from './sentence';
