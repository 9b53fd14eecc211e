import { limitSort } from './limit';

export const below = limitSort('below');
