import type { Request, Response } from 'express';
import { IndexHints, literal, Op, type Order, type WhereOptions } from 'sequelize';
import { wrongField } from '../problems';
import type { Table } from '../store/models';
import { listIn, type Owned } from '../store/rows';

/** What a list needs of its call. */
export interface PageCall {
  query: Record<string, unknown>;
  request: Request;
  response: Response;
}

type Direction = 'ASC' | 'DESC';
/** Where a page ended: the value the list is ordered by, and the row's number. */
type Place = [string | number, number | string];

interface Ordered<R> {
  where?: WhereOptions<R>;
  /** Column that the list is ordered by; rows that are equal in it follow by number. */
  by: keyof R & string;
  /** Column of the row's number. */
  id: keyof R & string;
  direction?: Direction;
  /** The key to find them by, where the database would choose another. */
  index?: string;
}

/**
 * One page of rows of a workspace. The order is total and each page starts where the one before ended, so that what is added or
 * deleted meanwhile neither hides nor doubles anything else. Sets the Link header where there is more.
 */
export async function pageIn<R extends Owned>(
  table: Table<R>,
  workspaceId: number,
  call: PageCall,
  { where: filter = {}, by, id, direction = 'ASC', index }: Ordered<R>,
): Promise<R[]> {
  const limit = Number(call.query.limit ?? 100);
  const after = placeAfter(call.query.after);
  const beyond = direction === 'ASC' ? Op.gt : Op.lt;
  const rest =
    after === null
      ? []
      : [
          by === id
            ? { [id]: { [beyond]: after[1] } }
            : {
                [Op.or]: [{ [by]: { [beyond]: after[0] } }, { [by]: after[0], [id]: { [beyond]: after[1] } }],
              },
        ];
  const rows = await listIn(table, workspaceId, {
    where: { [Op.and]: [filter, ...rest] } as unknown as WhereOptions<R>,
    order: (by === id
      ? [[id, direction]]
      : [
          [by, direction],
          [id, direction],
        ]) as Order,
    limit: limit + 1,
    ...(index !== undefined && { indexHints: [{ type: IndexHints.FORCE, values: [index] }] }),
  });
  const page = rows.slice(0, limit);
  const last = page.at(-1);
  if (rows.length > limit && last !== undefined) linkNext(call, [last[by] as string, last[id] as number]);
  return page;
}

/** One page of a short list that is whole already, in its own order; `keyOf` names each of its items. */
export function pageOf<T>(call: PageCall, items: readonly T[], keyOf: (item: T) => string | number): T[] {
  const limit = Number(call.query.limit ?? 100);
  const after = placeAfter(call.query.after);
  let from = 0;
  if (after !== null) {
    const found = items.findIndex((item) => keyOf(item) === after[1]);
    // What the page before ended with may be gone: its place in the list is the next best.
    from = found >= 0 ? found + 1 : Math.min(Number(after[0]) || 0, items.length);
  }
  const page = items.slice(from, from + limit);
  if (from + limit < items.length) linkNext(call, [from + limit, keyOf(page.at(-1)!)]);
  return page;
}

/** A filter for what belongs to a device that is there, or to one of them: what is left of a deleted one is on its way out. */
export function ofDevicesIn(
  workspaceId: number,
  label?: string,
  device?: string,
): { [Op.in]: ReturnType<typeof literal> } {
  const labelled = label === undefined ? '' : ` AND JSON_CONTAINS(labels, ${textIn(JSON.stringify(label))})`;
  const named = device === undefined ? '' : ` AND id = ${textIn(device)}`;
  return {
    [Op.in]: literal(
      `(SELECT rowId FROM devices WHERE workspaceId = ${Number(workspaceId)}${labelled}${named})`,
    ),
  };
}

/** A text inside a statement: written in hexadecimal digits, so that nothing of it is read as SQL. */
const textIn = (text: string): string => `CONVERT(X'${Buffer.from(text).toString('hex')}' USING utf8mb4)`;

/** A filter for a time in epoch ms, from ≤ time < to; empty where neither is given. */
export function period<C extends string>(column: C, { from, to }: Record<string, unknown>): object {
  if (from === undefined && to === undefined) return {};
  return {
    [column]: {
      ...(from !== undefined && { [Op.gte]: Number(from) }),
      ...(to !== undefined && { [Op.lt]: Number(to) }),
    },
  };
}

function linkNext({ request, response }: PageCall, place: Place): void {
  const [path, query] = request.originalUrl.split('?');
  const parameters = new URLSearchParams(query);
  parameters.set('after', Buffer.from(JSON.stringify(place)).toString('base64url'));
  response.setHeader('link', `<${path}?${parameters}>; rel="next"`);
}

function placeAfter(text: unknown): Place | null {
  if (text === undefined) return null;
  try {
    const place = JSON.parse(Buffer.from(String(text), 'base64url').toString()) as unknown;
    if (
      Array.isArray(place) &&
      place.length === 2 &&
      place.every((one) => typeof one === 'string' || typeof one === 'number')
    )
      return place as Place;
  } catch {
    // Said below.
  }
  throw wrongField(
    'after',
    'is not a place in this list',
    'Take it from the Link header of the page before.',
  );
}
