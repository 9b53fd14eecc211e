export * from './languages';
export * from './dates';
export * from './roundTimes';
