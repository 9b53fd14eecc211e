/** Width of a letter of the figures' font, by its height. */
const LETTER = 0.62;
const LEAST = '0.75rem';

/**
 * The size of a figure that is to stand on one line of its container (CSS `container-type: inline-size`): as usual, or as much smaller as
 * it is long. A number that breaks is read as two.
 */
export const fitting = (figure: string, usual: string, least = LEAST): string =>
  `max(${least}, min(${usual}, calc(100cqi / ${(Math.max(1, figure.length) * LETTER).toFixed(2)})))`;
