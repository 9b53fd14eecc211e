export * from './widgets';
export * from './catalogue';
export * from './stored';
export * from './arrange';
export * from './starter';
export * from './range';
export * from './zones';
export * from './otherUnit';
