export * from './file';
export * from './life';
export * from './share';
