import './locale';

export * from './schemas/account';
export * from './schemas/kinds';
export * from './schemas/devices';
export * from './schemas/history';
export * from './schemas/data';
export * from './schemas/calibrations';
export * from './schemas/claims';
export * from './schemas/computing';
export * from './schemas/commands';
export * from './schemas/dashboards';
export * from './schemas/rules';
export * from './schemas/people';
export * from './problem';
export * from './endpoints';
export * from './client';
export * from './live';
export * from './openapi';
