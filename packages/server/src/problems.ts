import type { FieldProblem, Problem } from '@peatmoor/contract';

/** An error that the API answers with as RFC 9457 problem details. */
export class ProblemError extends Error {
  readonly status: number;
  readonly title: string;
  readonly errors: FieldProblem[] | undefined;
  /** Seconds after which trying again makes sense. */
  readonly retryAfterS: number | undefined;

  constructor(
    status: number,
    title: string,
    detail: string,
    more: { errors?: FieldProblem[]; retryAfterS?: number } = {},
  ) {
    super(detail);
    this.status = status;
    this.title = title;
    this.errors = more.errors;
    this.retryAfterS = more.retryAfterS;
  }

  toProblem(): Problem {
    return {
      type: 'about:blank',
      title: this.title,
      status: this.status,
      detail: this.message,
      ...(this.errors !== undefined && { errors: this.errors }),
    };
  }
}

/** 404: nothing of this sort in the caller's workspace. Says the same whether it exists elsewhere or not. */
export function notFound(what: string, id: string | number): ProblemError {
  return new ProblemError(
    404,
    'Not found',
    `There is no ${what} "${id}" in this workspace. Look at the list for what there is.`,
  );
}

/** 422: one field is wrong. */
export function wrongField(field: string, reason: string, remedy: string): ProblemError {
  const says = /^[:,]/.test(reason) ? reason : ` ${reason}`;
  return new ProblemError(422, 'Not accepted', `${field}${says}. ${remedy}`, {
    errors: [{ field, reason, remedy }],
  });
}

/** 409: the change does not fit the state things are in now. */
export function conflict(detail: string, errors?: FieldProblem[]): ProblemError {
  return new ProblemError(409, 'Conflict', detail, errors === undefined ? {} : { errors });
}

/** 503: the records cannot be reached just now. */
export function unavailable(
  detail = 'The database does not answer just now. Nothing is lost that was acknowledged; try again in a few seconds.',
): ProblemError {
  return new ProblemError(503, 'Unavailable', detail, { retryAfterS: 2 });
}
