import { createColors } from 'picocolors';

/** Colours on a terminal that has them; none into files, pipes and logs, and none where NO_COLOR asks for that. */
export const colours = createColors(
  process.stdout.isTTY === true && !process.env.NO_COLOR && process.env.TERM !== 'dumb',
);
