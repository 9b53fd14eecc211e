export * from './readings/index';
export * from './devices/index';
export * from './formats/index';
export * from './rules/index';
export * from './history/index';
export * from './commands/index';
export * from './dashboards/index';
export * from './starters/index';
