import { ApiError } from '@peatmoor/contract';

/** How soon what could not be fetched is asked for again, in ms. */
const AGAIN_MS = 5000;

/** What is typed is wrong by itself: nobody needs to be asked. */
export class WrongHereError extends Error {}

/** True where asking again may help: nobody answered, or the service could not. */
export const mayPass = (error: unknown): boolean =>
  !(error instanceof WrongHereError) &&
  (!(error instanceof ApiError) || error.problem.status === 0 || error.problem.status >= 500);

/** How often a query asks again: as often as usual, and soon where the last time failed. */
export const againSoon =
  (usualMs: number | false) =>
  ({ state }: { state: { error: unknown } }): number | false =>
    state.error !== null && mayPass(state.error) ? AGAIN_MS : usualMs;
