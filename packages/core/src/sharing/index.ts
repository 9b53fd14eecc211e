export * from './shown';
