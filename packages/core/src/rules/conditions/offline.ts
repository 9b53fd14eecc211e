import { presenceSort } from './presence';

export const offline = presenceSort('offline');
