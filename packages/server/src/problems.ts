import { PROBLEMS, problemType, type FieldProblem, type Problem, type ProblemCode } from '@peatmoor/contract';

/** An error that the API answers with as RFC 9457 problem details; what it can be is declared in the contract. */
export class ProblemError extends Error {
  readonly code: ProblemCode;
  readonly errors: FieldProblem[] | undefined;
  /** Seconds after which trying again makes sense. */
  readonly retryAfterS: number | undefined;

  constructor(
    code: ProblemCode,
    detail: string,
    more: { errors?: FieldProblem[]; retryAfterS?: number; cause?: unknown } = {},
  ) {
    super(detail, more.cause === undefined ? undefined : { cause: more.cause });
    this.name = 'ProblemError';
    this.code = code;
    this.errors = more.errors;
    this.retryAfterS = more.retryAfterS;
  }

  get status(): number {
    return PROBLEMS[this.code].status;
  }

  toProblem(): Problem {
    const { title, status } = PROBLEMS[this.code];
    return {
      type: problemType(this.code),
      title,
      status,
      detail: this.message,
      ...(this.errors !== undefined && { errors: this.errors }),
    };
  }
}

/** 404: nothing of this sort in the caller's workspace. Says the same whether it exists elsewhere or not. */
export function notFound(what: string, id: string | number): ProblemError {
  return new ProblemError(
    'not-found',
    `There is no ${what} "${id}" in this workspace. Look at the list for what there is.`,
  );
}

/** 422: one field is wrong. */
export function wrongField(field: string, reason: string, remedy: string): ProblemError {
  const says = (/^[:,]/.test(reason) ? reason : ` ${reason}`).replace(/\.$/, '');
  return new ProblemError('not-accepted', `${field}${says}. ${remedy}`, {
    errors: [{ field, reason, remedy }],
  });
}

/** 422: several fields are wrong; the first one is said in the sentence. */
export function wrongFields(problems: readonly FieldProblem[]): ProblemError {
  const [first] = problems;
  const one = wrongField(first!.field, first!.reason, first!.remedy);
  return new ProblemError('not-accepted', one.message, { errors: [...problems] });
}

/** 409: the change does not fit the state things are in now. */
export function conflict(detail: string, errors?: FieldProblem[]): ProblemError {
  return new ProblemError('conflict', detail, errors === undefined ? {} : { errors });
}

/** 503: the records cannot be reached just now. */
export function unavailable(
  detail = 'The database does not answer just now. Nothing is lost that was acknowledged; try again in a few seconds.',
  cause?: unknown,
): ProblemError {
  return new ProblemError('unavailable', detail, { retryAfterS: 2, cause });
}
