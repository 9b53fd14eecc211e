import { areaSort } from './area';

export const beyond = areaSort('beyond');
