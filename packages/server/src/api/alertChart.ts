import type { Express } from 'express';
import { chartOfEvent } from '../alerts/chart';
import { demandReader } from '../alerts/links';
import { now as clockNow } from '../clock';
import { notFound } from '../problems';
import { findOne } from '../store/rows';
import type { ApiParts } from './context';

/** Charts that are kept for a moment: a link may be pressed often. */
const MOST_KEPT = 50;
const KEPT_MS = 30_000;

/** The readings around an event, as a picture, for whoever has the link of an alert about it. */
export function alertCharts(app: Express, parts: ApiParts): void {
  const kept = new Map<number, { at: number; drawn: Promise<Buffer | null> }>();
  app.get('/api/alert-links/:link/chart', async (request, response) => {
    const link = parts.links.read(String(request.params.link));
    const event =
      link?.what === 'event' ? await findOne(parts.store.models.events, { id: link.eventId }) : null;
    if (event !== null && link?.what === 'event') await demandReader(parts.store, link, [event.workspaceId]);
    if (event === null) throw notFound('link', 'this; it may be cut short, or its event is gone');
    let one = kept.get(event.id);
    if (one === undefined || clockNow() - one.at > KEPT_MS) {
      one = { at: clockNow(), drawn: chartOfEvent(parts, event) };
      one.drawn.catch(() => kept.delete(event.id));
      kept.delete(event.id);
      kept.set(event.id, one);
      if (kept.size > MOST_KEPT) kept.delete(kept.keys().next().value!);
    }
    const drawn = await one.drawn;
    if (drawn === null) throw notFound('chart', 'of this event; it is about no numbers');
    response.setHeader('cache-control', 'private, max-age=30');
    response.setHeader('content-security-policy', "default-src 'none'");
    response.type('image/png').send(drawn);
  });
}
