import type { ValidationError } from 'yup';

/** One thing that is wrong, where it is and what to do about it. */
export interface FieldProblem {
  field: string;
  reason: string;
  remedy: string;
}

/** An error answer of the API (RFC 9457 problem details, media type application/problem+json). */
export interface Problem {
  type: string;
  title: string;
  status: number;
  detail: string;
  errors?: FieldProblem[];
}

const REMEDIES: Record<string, string> = {
  required: 'Give it.',
  optionality: 'Give it.',
  nullable: 'Give a value; null is none.',
  oneOf: 'Choose one of these.',
  typeError: 'Correct its type.',
  email: 'Write it like name@example.org.',
  integer: 'Round it.',
  apart: 'Give each an ID of its own.',
  noUnknown: 'Leave them out, or correct their spelling.',
};

/** Turns a Yup error into field problems, each once. */
export function fieldProblems(error: ValidationError): FieldProblem[] {
  const parts = error.inner.length > 0 ? error.inner : [error];
  return parts.map((part) => ({
    field: part.path ?? '',
    reason: part.message.replace(/^this /, ''),
    remedy: REMEDIES[part.type ?? ''] ?? 'Correct it and send it again.',
  }));
}

/** A failed call, as the typed client throws it. Status 0 means that the service was not reached. */
export class ApiError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    const first = problem.errors?.[0];
    super(
      first === undefined
        ? problem.detail
        : `${[first.field, first.reason]
            .filter(Boolean)
            .join(' ')
            .replace(/^(\S+) ([:,])/, '$1$2')
            .replace(/\.$/, '')}. ${first.remedy}`,
    );
    this.name = 'ApiError';
    this.problem = problem;
  }
}
