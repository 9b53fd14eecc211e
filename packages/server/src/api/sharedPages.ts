import type { Express, Request, Response } from 'express';
import { isForVisitors, type Widget } from '@peatmoor/core';
import { notFound, wrongField } from '../problems';
import { pictureOf, type PictureWish } from '../sharing/picture';
import { countOpened, linkBy, visitOf } from '../sharing/visitors';
import { findOne } from '../store/rows';
import { consolePage } from './consolePage';
import type { ApiParts } from './context';

/** The page of a share link: shown in frames of the sites that it names, and listed by search engines only where it says so. */
export function serveSharedPages(
  app: Express,
  parts: Pick<ApiParts, 'config' | 'store' | 'registry' | 'recent' | 'history' | 'log'>,
  folder: string,
): void {
  const { store, log } = parts;
  app.get('/shared/:credential/picture.:form', async (request, response) => {
    await sendPicture(parts, request, response);
  });
  app.get('/shared/:credential', async (request, response) => {
    const link = await linkBy(store, request.params.credential);
    framedBy(response, link?.sites ?? []);
    if (link?.listed !== true) response.setHeader('x-robots-tag', 'noindex, nofollow');
    response.setHeader('cache-control', 'no-cache');
    // Whoever reads on, or looks away and back, came once; one with a passphrase is counted where that is typed. Nobody waits.
    if (link !== null && link.passHash === null && request.method === 'GET')
      countOpened(store, link).catch((error: Error) => log.debug({ err: error }, 'a visit was not counted'));
    response.type('html').send(consolePage(folder, parts.config.basePath, { framed: true, first: 'Shared' }));
  });
}

/** Lets a page be framed by this service itself and by some sites, and by nobody else. */
function framedBy(response: Response, sites: readonly string[]): void {
  const policy = String(response.getHeader('content-security-policy'));
  response.setHeader(
    'content-security-policy',
    policy.replace(/frame-ancestors [^;]*/, `frame-ancestors ${["'self'", ...sites].join(' ')}`),
  );
  response.removeHeader('x-frame-options');
}

const LOOKS = ['light', 'dark', 'transparent'] as const;
const SIZES = { width: [120, 1600, 420], height: [80, 1200, 320] } as const;
/** How long whoever fetched a picture need not ask again, in s. */
const FRESH_S = 30;

/** A picture of one widget, for pages and mails that take only images: any page may show it, and nothing of a browser is needed. */
async function sendPicture(
  parts: Pick<ApiParts, 'store' | 'registry' | 'recent' | 'history'>,
  request: Request,
  response: Response,
): Promise<void> {
  const { credential, form } = request.params as { credential: string; form: string };
  const visit = await visitOf(parts.store, credential);
  if (visit === null || (form !== 'svg' && form !== 'png')) throw notFound('picture', '');
  const wish = wishOf(request, form);
  const { widget: id } = request.query;
  const widgets = visit.board.widgets.filter((one) => isForVisitors(one));
  const widget: Widget | undefined =
    id === undefined ? widgets[0] : widgets.find((one) => one.id === String(id));
  if (widget === undefined) throw notFound('widget', String(id ?? ''));
  const workspace = await findOne(parts.store.models.workspaces, { id: visit.workspaceId });
  const picture = await pictureOf(parts, { ...visit, zone: workspace?.zone ?? 'UTC' }, widget, wish);
  response.setHeader('cross-origin-resource-policy', 'cross-origin');
  response.setHeader('cache-control', `public, max-age=${FRESH_S}`);
  response.setHeader('etag', picture.etag);
  response.setHeader('content-security-policy', "default-src 'none'; style-src 'unsafe-inline'");
  response.setHeader('x-robots-tag', 'noindex');
  if (request.headers['if-none-match'] === picture.etag) {
    response.status(304).end();
    return;
  }
  response.type(picture.type).send(picture.body);
}

/** Size and look as the address asks for them; 422 for what is none. */
function wishOf({ query }: Request, form: 'svg' | 'png'): PictureWish {
  const size = (name: 'width' | 'height'): number => {
    const [least, most, usual] = SIZES[name];
    const given = query[name];
    if (given === undefined) return usual;
    const value = typeof given === 'string' && /^\d{1,5}$/.test(given) ? Number(given) : NaN;
    if (!(value >= least && value <= most))
      throw wrongField(
        name,
        `must be a whole number from ${least} to ${most}`,
        'Leave it out for the usual size.',
      );
    return value;
  };
  const look = query.look ?? 'light';
  if (!LOOKS.includes(look as 'light'))
    throw wrongField('look', `must be one of: ${LOOKS.join(', ')}`, 'Leave it out for light.');
  return { form, width: size('width'), height: size('height'), look: look as 'light' };
}
