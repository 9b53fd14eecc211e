export * from './types';
export * from './refusals';
export * from './units';
export * from './names';
export * from './value';
export * from './time';
export * from './samples';
export * from './guess';
