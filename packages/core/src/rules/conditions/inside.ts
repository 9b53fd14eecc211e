import { areaSort } from './area';

export const inside = areaSort('inside');
