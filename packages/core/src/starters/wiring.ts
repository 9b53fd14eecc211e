import { wiringOf } from '../parts/index';
import type { StarterFile, StarterPlan } from './plan';

/** What is wired to what, as a text beside the program; nothing where no datastream has a part. */
export function wiringFile(plan: StarterPlan): StarterFile[] {
  const wired = wiringOf(plan.streams);
  if (wired.length === 0) return [];
  const plain = (text: string): string => text.replace(/[\r\n]+/g, ' ');
  const blocks = wired.map(({ title, part, lines, looseWords }) => {
    const width = Math.max(...lines.map(([from]) => from.length));
    return `${plain(title)} (${part})\n${lines.map(([from, to]) => `  ${from.padEnd(width)}  ->  ${to}`).join('\n')}\n${looseWords === '' ? '' : `  A loose wire: ${looseWords.charAt(0).toLowerCase()}${looseWords.slice(1)}\n`}`;
  });
  return [
    {
      path: 'WIRING.txt',
      text: `What is wired to what on ${plain(plan.deviceName)}\n\n${blocks.join('\n')}${wired.some(({ untried }) => untried) ? '\nWorked out from data sheets; not yet tried on a board by anybody we know.\n' : ''}`,
      generated: true,
    },
  ];
}
