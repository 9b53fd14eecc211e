import { movesSort } from './moves';

export const falls = movesSort('falls');
