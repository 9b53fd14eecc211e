export * from './shape';
export * from './facts';
export * from './staff';
export * from './arc';
export * from './tank';
export * from './lines';
export * from './picture';
export * from './wiring';
