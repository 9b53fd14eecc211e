import { movesSort } from './moves';

export const rises = movesSort('rises');
