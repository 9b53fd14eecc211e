/** Small drawings that a kind, a dashboard or a choice may have, by their names; empty for none. */
export const ICONS = [
  '',
  'drop',
  'gate',
  'rain',
  'bridge',
  'camera',
  'collar',
  'antenna',
  'thermometer',
  'lamp',
  'plug',
  'leaf',
  'wind',
  'box',
  'up',
  'down',
  'stop',
  'run',
  'hand',
  'clock',
  'sun',
  'moon',
  'flame',
  'frost',
  'locked',
  'unlocked',
  'trouble',
  'tick',
  'cross',
] as const;
export type Icon = (typeof ICONS)[number];

/**
 * Reads the drawings of choices, in their order with commas between: `down, , up`. One that there is not is given as text.
 */
export function readIcons(text: string): Icon[] | string {
  const names = text.trim() === '' ? [] : text.split(',').map((name) => name.trim());
  return names.find((name): boolean => !(ICONS as readonly string[]).includes(name)) ?? (names as Icon[]);
}
