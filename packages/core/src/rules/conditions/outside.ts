import { rangeSort } from './range';

export const outside = rangeSort('outside');
