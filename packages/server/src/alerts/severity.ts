import type { Message } from './channels';

type One = Message['alerts'][number];

const ORDER = ['urgent', 'warning', 'notice'];

/** True for what asks for somebody at once: an urgent event that is not over, or something that was not done. */
export const isPressing = ({ alert, event }: One): boolean =>
  alert.phase === 'undone' || (event.severity === 'urgent' && alert.phase !== 'closed');

const rankOf = (one: One): number => (isPressing(one) ? -1 : ORDER.indexOf(one.event.severity));

/** The alerts of a message, the most severe first, and those of one severity in the order in which they came about. */
export const bySeverity = (alerts: readonly One[]): One[] =>
  [...alerts].sort((a, b) => rankOf(a) - rankOf(b));

/** What a message about several says first: the most severe, and how many more there are. */
export function severalIn(ranked: readonly One[]): string {
  const [first] = ranked;
  return `${first!.alert.subject.slice(0, 160)}, and ${ranked.length - 1} more`;
}

/** The text of an alert with what was done behind its first lines. */
export function withDone(text: string, done: readonly string[]): string {
  if (done.length === 0) return text;
  const [lines = '', ...rest] = text.split('\n\n');
  return [[lines, ...done].join('\n'), ...rest].join('\n\n');
}
