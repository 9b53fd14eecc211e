/** The condition of an event rule over one numeric datastream. Booleans count as 0 and 1. */
export interface Condition {
  comparison: 'above' | 'below';
  limit: number;
  /** How long the value must stay across the limit before the event opens, in ms. */
  holdMs: number;
  /** The value at which it closes again; null closes at the limit itself. */
  closeLimit: number | null;
  /** How long the value must stay back before the event closes, in ms. */
  closeHoldMs: number;
}

/** True where the value is across the limit. */
export function isAcross(condition: Condition, value: number): boolean {
  return condition.comparison === 'above' ? value > condition.limit : value < condition.limit;
}

/** True where the value is back far enough for the event to close. */
export function isBack(condition: Condition, value: number): boolean {
  const limit = condition.closeLimit ?? condition.limit;
  return condition.comparison === 'above' ? value <= limit : value >= limit;
}

/** What is wrong with a condition, as field and reason; null when nothing is. */
export function checkCondition(condition: Condition): { field: keyof Condition; reason: string } | null {
  const { comparison, limit, closeLimit } = condition;
  if (closeLimit === null) return null;
  if (comparison === 'above' && closeLimit > limit)
    return {
      field: 'closeLimit',
      reason: `The event opens above ${limit}, so it must close at ${limit} or lower.`,
    };
  if (comparison === 'below' && closeLimit < limit)
    return {
      field: 'closeLimit',
      reason: `The event opens below ${limit}, so it must close at ${limit} or higher.`,
    };
  return null;
}
