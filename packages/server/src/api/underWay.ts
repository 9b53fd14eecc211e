import type { NextFunction, Request, RequestHandler, Response } from 'express';
import { countedAddress } from '../listeners/address';
import { ProblemError } from '../problems';
import { hashSecret } from '../registry';
import { credentialOf, type Scope } from './scope';

/** How many calls of one caller are worked on at once, and how many more may wait for their turn. */
interface Bound {
  running: number;
  waiting: number;
}

/** A page asks some forty things at once; a class of thirty comes from one address. */
const BOUNDS = {
  credential: { running: 8, waiting: 120 },
  person: { running: 8, waiting: 120 },
  key: { running: 8, waiting: 60 },
  // All visitors of a page come by one link.
  link: { running: 16, waiting: 400 },
  export: { running: 2, waiting: 4 },
  address: { running: 64, waiting: 400 },
} as const satisfies Record<string, Bound>;
export type CallerSort = keyof typeof BOUNDS;

/** Calls under way, by caller: so that whoever sends very many at once waits for himself, and others do not. */
export interface UnderWay {
  /** Waits for a turn; what it gives ends it. Throws 503 where too many wait. `isGone`: nobody waits for the answer any more. */
  enter(sort: CallerSort, name: string, isGone?: () => boolean): Promise<() => void>;
  /** The same for an answer: the turn ends with it. */
  enterFor(response: Response, sort: CallerSort, name: string): Promise<void>;
  /** Bounds what comes by one session, key or link, and then from one address; before anything is looked up. */
  atOnce: RequestHandler;
  /** Calls that are worked on or wait now. */
  count(): number;
}

interface Line {
  running: number;
  waiting: { go: () => void; isGone: () => boolean }[];
}

const nobodyIsGone = (): boolean => false;

export function createUnderWay(): UnderWay {
  const lines = new Map<string, Line>();
  /** What ends with an answer: one listener for all of it. */
  const ends = new WeakMap<Response, (() => void)[]>();
  const leave = (name: string, line: Line): void => {
    line.running--;
    let next = line.waiting.shift();
    while (next?.isGone()) next = line.waiting.shift();
    if (next !== undefined) next.go();
    else if (line.running === 0) lines.delete(name);
  };
  const underWay: UnderWay = {
    enter(sort, caller, isGone = nobodyIsGone) {
      const name = `${sort} ${caller}`;
      const { running, waiting }: Bound = BOUNDS[sort];
      let line = lines.get(name);
      if (line === undefined) lines.set(name, (line = { running: 0, waiting: [] }));
      const own = line;
      const turn = (): (() => void) => {
        own.running++;
        let left = false;
        return () => {
          if (!left) leave(name, own);
          left = true;
        };
      };
      if (own.running < running) return Promise.resolve(turn());
      if (own.waiting.length >= waiting)
        return Promise.reject(
          new ProblemError(
            'too-many-at-once',
            `${own.running + own.waiting.length} calls of yours are under way already. Nothing was done. Send fewer at once, and this one again in a second.`,
            { retryAfterS: 1 },
          ),
        );
      return new Promise((resolve) => own.waiting.push({ go: () => resolve(turn()), isGone }));
    },
    async enterFor(response, sort, name) {
      const end = await underWay.enter(sort, name, () => response.destroyed);
      if (response.destroyed) return end();
      const known = ends.get(response);
      if (known !== undefined) return void known.push(end);
      const all = [end];
      ends.set(response, all);
      response.once('close', () => all.forEach((one) => one()));
    },
    atOnce(request: Request, response: Response, next: NextFunction) {
      const credential = credentialOf(request);
      (async () => {
        // First of all, so that one caller never has more than a few of the turns of an address.
        if (credential !== undefined)
          await underWay.enterFor(
            response,
            credential.isLink ? 'link' : 'credential',
            hashSecret(credential.text).toString('base64'),
          );
        await underWay.enterFor(response, 'address', countedAddress(request));
        return response.destroyed;
      })().then((gone) => (gone ? undefined : next()), next);
    },
    count: () => [...lines.values()].reduce((sum, { running, waiting }) => sum + running + waiting.length, 0),
  };
  return underWay;
}

/** As whom a caller is counted: a link's visitors together, a key by itself, a person with all their sessions. */
export function callerOf({
  pass,
  userId,
  workspaceId,
}: Scope): [sort: 'person' | 'key' | 'link', name: string] {
  if (pass.kind === 'key') return ['key', String(pass.id)];
  if (pass.kind === 'link') return ['link', pass.id === null ? `preview ${workspaceId}` : String(pass.id)];
  return ['person', String(userId)];
}
