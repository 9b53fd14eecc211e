export * from './plan';
export * from './names';
