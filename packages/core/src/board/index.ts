export * from './prompt';
