import type { Request } from 'express';
import {
  endpoints,
  firstPageOf,
  wholeInWords,
  type Began,
  type Dashboard,
  type Device,
  type Endpoint,
  type EndpointName,
} from '@peatmoor/contract';
import type { ApiParts, Call, Handlers } from './context';
import type { FirstWords } from './consolePage';
import { demand, scopeOf, type Scope } from './scope';
import { callerOf, type UnderWay } from './underWay';
import { checkQuery } from './validation';

/** More devices than these are not sent with a page: it asks for them. */
const MOST_DEVICES = 60;
/** Letters of answers that are sent with a page. */
const MOST_LETTERS = 150_000;

/** What a page of the console asks first, answered before it asks. */
export interface FirstSight {
  began: Began;
  words: FirstWords | undefined;
}

/** What whoever is signed in sees first at an address; null where nobody is. The answers are those of the API, by the same rights. */
export function createFirstSight(
  parts: ApiParts,
  handlers: Handlers,
  underWay: UnderWay,
): (request: Request) => Promise<FirstSight | null> {
  const ask = async (
    name: EndpointName,
    { scope, request }: { scope: Scope; request: Request },
    params: Record<string, string> = {},
    query: Record<string, string> = {},
  ): Promise<unknown> => {
    const endpoint = endpoints[name] as Endpoint & { access: 'shown' };
    demand(scope, endpoint.access);
    const checked = await checkQuery(endpoint.query, query);
    const call = { scope, params, query: checked, body: {}, request, response: NO_RESPONSE };
    const answer = await (handlers[name] as (call: Call<never>) => Promise<unknown>)(call as never);
    // As it is sent: what has no place in JSON is not there.
    return JSON.parse(JSON.stringify(answer)) as unknown;
  };
  return async (request) => {
    const scope = await scopeOf(parts.store, request);
    // Keys and links have bounds of their own, and no page.
    if (scope?.pass.kind !== 'session') return null;
    const end = await underWay.enter(...callerOf(scope), () => request.socket.destroyed);
    return seen(request, scope).finally(end);
  };
  async function seen(request: Request, scope: Scope): Promise<FirstSight> {
    const who = { scope, request };
    const answers: Began['answers'] = [['me', null, await ask('me', who)]];
    // A person to whom nothing is granted has no devices to list.
    const [devices, kinds] = await Promise.all([
      ask('listDevices', who, {}, { limit: String(MOST_DEVICES + 1) }) as Promise<Device[]>,
      ask('listKinds', who),
    ]).catch(() => [[], []]);
    const isLittle = devices.length > 0 && devices.length <= MOST_DEVICES;
    if (isLittle) answers.push(['listDevices', null, devices], ['listKinds', null, kinds]);
    const [, board] = /^\/dashboards\/(\d{1,9})$/.exec(request.path) ?? [];
    let words: FirstWords | undefined;
    if (board !== undefined) {
      const dashboard = (await ask('readDashboard', who, { dashboard: board }).catch(
        () => null,
      )) as Dashboard | null;
      if (dashboard !== null) {
        answers.push(['readDashboard', { params: { dashboard: Number(board) } }, dashboard]);
        words = { title: dashboard.title, hasMark: dashboard.icon !== '' };
      }
    } else if (firstPageOf(request.path) === 'Overview' && isLittle && scope.choices.start === '') {
      const granted = scope.role === 'none' ? 'granted to you · ' : '';
      words = { title: 'Overview', below: granted + wholeInWords(devices) };
    }
    if (JSON.stringify(answers).length > MOST_LETTERS) answers.splice(1);
    return { began: { answers }, words };
  }
}

/** What answers say beside themselves is not for a page. */
const NO_RESPONSE = { setHeader: () => undefined, links: () => undefined, getHeader: () => undefined };
