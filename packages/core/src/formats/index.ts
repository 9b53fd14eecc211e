export * from './report';
export * from './json';
export * from './pairs';
