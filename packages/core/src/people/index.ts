export * from './roles';
