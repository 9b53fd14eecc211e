import { rangeSort } from './range';

export const between = rangeSort('between');
