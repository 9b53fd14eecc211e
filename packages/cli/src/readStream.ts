import { DIRECTIONS, proposeKey, VALUE_TYPES, type Direction, type ValueType } from '@peatmoor/core';
import type { KindIn } from '@peatmoor/contract';
import { UsageError } from './settings';

export type StreamIn = NonNullable<KindIn['streams']>[number];

/**
 * Reads key:type[:unit[:min:max]][:direction], such as level:number:mm:-800:200, lamp:boolean:control or
 * mode:choice:shut|open:both.
 */
export function readStream(text: string): StreamIn {
  const parts = text.split(':');
  const last = parts.at(-1) as Direction;
  const direction = DIRECTIONS.includes(last) ? (parts.pop() as Direction) : 'report';
  const [title = '', type = 'number', unit = '', min, max] = parts;
  if (!(VALUE_TYPES as readonly string[]).includes(type))
    throw new UsageError(`"${type}" in "${text}" is not a type; there are: ${VALUE_TYPES.join(', ')}.`);
  const isChoice = type === 'choice';
  const choices = isChoice
    ? unit
        .split('|')
        .map((one) => one.trim())
        .filter(Boolean)
    : [];
  if (isChoice && choices.length === 0)
    throw new UsageError(`"${text}" has no choices; write mode:choice:shut|half|open.`);
  const bound = (part: string | undefined): number | null =>
    part === undefined || part === '' ? null : Number(part);
  if ([min, max].some((part) => Number.isNaN(bound(part))))
    throw new UsageError(`The range in "${text}" is not made of numbers; write level:number:mm:-800:200.`);
  return {
    key: proposeKey(title),
    title: title.charAt(0).toUpperCase() + title.slice(1).replaceAll('_', ' '),
    type: type as ValueType,
    unit: isChoice ? null : unit || null,
    ...(isChoice && { choices }),
    min: bound(min),
    max: bound(max),
    direction,
  };
}
