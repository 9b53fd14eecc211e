export { exampleValue, madeUp, TOKEN_PLACEHOLDER, type StarterFile, type StarterPlan } from './plan';
export * from './lines';
export * from './sorts';
export * from './check';
export * from './again';
export * from './keep';
