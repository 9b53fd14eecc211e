import type { Request, Response } from 'express';
import { notFound, wrongField } from '../problems';
import { deviceOf, type ApiParts } from './context';
import { backTo } from './data';
import { demand, demandReach, scopeOf } from './scope';

/** Sends the picture of an image datastream at a time, or the newest. A stored picture never changes. */
export async function sendImage(
  parts: Pick<ApiParts, 'store' | 'registry'>,
  request: Request,
  response: Response,
): Promise<void> {
  const scope = demand(await scopeOf(parts.store, request), 'shown');
  const { device, stream: name } = request.params as { device: string; stream: string };
  const entry = await deviceOf(parts, scope, device);
  demandReach(scope, { method: 'GET', path: request.path }, entry.rowId);
  const stream = entry.names.find(name);
  if (stream?.type !== 'image') throw notFound('image datastream', name);
  const { at } = request.query;
  if (at !== undefined && !/^\d{1,15}$/.test(String(at)))
    throw wrongField('at', 'must be a time in milliseconds since 1970', 'Leave it out for the newest.');
  if (at !== undefined && backTo(scope, Number(at), Infinity) > Number(at))
    throw notFound('picture', String(at));
  const rows = await parts.store.withConnection(
    async (connection) =>
      (await connection.execute(
        `SELECT type, body FROM images WHERE seriesId = ? ${at === undefined ? '' : 'AND at >= ? AND at < ? + 1'} ORDER BY at DESC LIMIT 1`,
        at === undefined ? [stream.seriesId] : [stream.seriesId, Number(at), Number(at)],
      )) as { type: string; body: Buffer }[],
  );
  const [image] = rows;
  if (image === undefined) throw notFound('picture', String(at ?? name));
  response.setHeader('cache-control', at === undefined ? 'no-store' : 'private, max-age=31536000, immutable');
  response.setHeader('content-security-policy', "default-src 'none'");
  response.type(image.type).send(image.body);
}
