export * from './catalogue';
export * from './arrange';
export * from './starter';
export * from './range';
