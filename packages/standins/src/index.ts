export * from './board';
export * from './mail';
export * from './quillmere/kinds';
export * from './quillmere/boards';
export * from './quillmere/history';
export { noise, QUILLMERE_FENCE, rainRate } from './quillmere/signals';
export * from './push';
export * from './hook';
export * from './bus';
