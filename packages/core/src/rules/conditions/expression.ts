import { compileFormula, isFormulaError } from '../../computing/formula';
import { UNKNOWN, type Sense } from '../senses/sense';
import { expressionWords, type Expression } from './expressionWords';
import type { Around, ConditionSort } from './sort';

type Memory = Record<string, number>;

/** A formula over several datastreams of a device (CEL): so where it is true, or not 0. */
export const expression: ConditionSort<Expression> = {
  ...expressionWords,
  check(settings, stream, around = []) {
    const wrong = expressionWords.check(settings, stream);
    if (wrong !== null) return wrong;
    const formula = compileFormula(settings.expression, around);
    return isFormulaError(formula)
      ? {
          field: 'expression',
          reason: `cannot be read at character ${formula.position}`,
          remedy: formula.message,
        }
      : null;
  },
  reads: (settings, around) => formulaOf(settings, around)?.inputs ?? [],
  sense(settings, _stream, around) {
    const formula = formulaOf(settings, around);
    if (formula === null) return null;
    const sense: Sense<Expression, Memory> = {
      begin: {},
      take: (_settings, memory, { name, value }) => ({ ...memory, [name]: Number(value) }),
      look(_settings, memory) {
        // Before every one of them came there is nothing to say.
        if (formula.inputs.some((name) => memory[name] === undefined)) return UNKNOWN;
        const value = formula.evaluate(memory);
        if (value === null) return UNKNOWN;
        return { across: value !== 0, back: value === 0, value: memory[formula.inputs[0]!] ?? null };
      },
    };
    return sense as Sense<Expression, never>;
  },
};

function formulaOf({ expression: text }: Expression, around: Around) {
  const formula = compileFormula(text, around);
  return isFormulaError(formula) ? null : formula;
}
