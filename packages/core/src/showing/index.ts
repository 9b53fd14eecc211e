export * from './languages';
export * from './dates';
