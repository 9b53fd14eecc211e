export * from './condition';
export * from './step';
export * from './sentence';
export * from './watched';
export * from './conditions';
