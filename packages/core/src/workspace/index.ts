export * from './plan';
export * from './names';
export * from './references';
export * from './webhookAddress';
