import type { Express, Request, Response } from 'express';
import express from 'express';
import { isRefusal, MOST_IMAGE_BYTES, readImage } from '@peatmoor/core';
import { notFound, wrongField } from '../problems';
import type { DeviceEntry } from '../registry';
import { seesWhole } from '../sharing/reach';
import { deleteIn, oneIn } from '../store/rows';
import { deviceOf, type ApiParts } from './context';
import { demand, demandReach, scopeOf, type Scope } from './scope';
import { now as clockNow } from '../clock';

/** The picture of a device itself: where it stands, how it is wired. Put as bytes, sent as bytes. */
export function devicePictures(app: Express, parts: ApiParts): void {
  const { store, bus } = parts;
  const { devicePictures: table } = store.models;
  const path = '/api/devices/:device/picture';
  const at = async (
    request: Request,
    action: 'follow' | 'change',
  ): Promise<{ scope: Scope; entry: DeviceEntry }> => {
    const scope = demand(await scopeOf(store, request), action);
    const entry = await deviceOf(parts, scope, String(request.params.device));
    demandReach(scope, { method: request.method, path: request.path }, entry.rowId);
    return { scope, entry };
  };
  const changed = (scope: Scope, entry: DeviceEntry, response: Response): void => {
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'devices', id: entry.id, by: scope.userName },
    });
    response.status(204).end();
  };
  app.get(path, async (request, response) => {
    const { scope, entry } = await at(request, 'follow');
    if (!seesWhole(scope, entry.rowId)) throw notFound('picture', entry.id);
    const row = await oneIn(table, scope.workspaceId, { deviceRowId: entry.rowId });
    if (row === null) throw notFound('picture', entry.id);
    response.setHeader('cache-control', 'private, max-age=31536000, immutable');
    response.setHeader('content-security-policy', "default-src 'none'");
    response.type(row.type).send(row.body);
  });
  app.put(path, express.raw({ type: () => true, limit: MOST_IMAGE_BYTES }), async (request, response) => {
    const { scope, entry } = await at(request, 'change');
    const image = readImage(Buffer.isBuffer(request.body) ? new Uint8Array(request.body) : null, 'picture');
    if (isRefusal(image))
      throw wrongField(
        'picture',
        `: ${image.hint.replace(/\.$/, '')}`,
        'Send a JPEG, PNG or WebP of 512 KB at most.',
      );
    await table.upsert({
      deviceRowId: entry.rowId,
      workspaceId: scope.workspaceId,
      type: image.type,
      body: Buffer.from(image.bytes),
      madeAt: clockNow(),
    });
    changed(scope, entry, response);
  });
  app.delete(path, async (request, response) => {
    const { scope, entry } = await at(request, 'change');
    await deleteIn(table, scope.workspaceId, { deviceRowId: entry.rowId });
    changed(scope, entry, response);
  });
}
