export * from './bounds';
export * from './report';
export * from './json';
export * from './pairs';
export * from './senml';
export * from './csv';
export * from './payload';
export * from './sheet';
