import type { ConditionSettings } from '../settings';
import { missing, type ConditionWords } from './sort';

export type Expression = Required<Pick<ConditionSettings, 'expression'>>;

/** What is said and asked of an expression. Whether it can be read, the library of formulas must say. */
export const expressionWords: ConditionWords<Expression> = {
  sort: 'expression',
  title: 'makes an expression true',
  watches: 'readings',
  looks: 'streams',
  fields: ['expression'],
  version: 1,
  check: (settings) => missing(settings, ['expression']),
  clause: (settings, { whom }) => `“${settings.expression}” is true of ${whom}`,
};
