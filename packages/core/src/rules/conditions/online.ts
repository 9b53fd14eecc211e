import { presenceSort } from './presence';

export const online = presenceSort('online');
