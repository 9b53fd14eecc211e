import { limitSort } from './limit';

export const above = limitSort('above');
