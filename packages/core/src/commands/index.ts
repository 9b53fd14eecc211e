export * from './life';
export * from './follow';
export * from './wanted';
export * from './interlock';
export * from './keep';
export * from './standing';
