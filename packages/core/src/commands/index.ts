export * from './life';
export * from './follow';
