import * as sharing from '../schemas/sharing';
import type { Plan } from '@peatmoor/core';
import * as file from '../schemas/workspaceFile';
import { endpoint } from './endpoint';

type WithDefaults = 'dashboardId' | 'widgetId' | 'deviceId' | 'backMs' | 'periodMs' | 'periodOpen';
export type LinkIn = Pick<sharing.NewLink, 'title' | 'sort'> & Partial<sharing.NewLink>;
export type LinkPreviewIn = Pick<sharing.LinkSubject, 'sort'> &
  Partial<Pick<sharing.LinkSubject, WithDefaults>>;

/** Share links and grants. */
export const sharingEndpoints = {
  listLinks: endpoint<sharing.Link[]>('GET /api/links', 'change', 'Share links', {
    answer: sharing.linksSchema,
  }),
  previewLink: endpoint<sharing.LinkPreview, LinkPreviewIn>(
    'POST /api/links/preview',
    'change',
    'What a visitor would see, before the link exists',
    { looks: true, body: sharing.linkPreviewSchema, answer: sharing.linkPreviewAnswerSchema },
  ),
  createLink: endpoint<sharing.Link, LinkIn>('POST /api/links', 'change', 'Make a share link', {
    body: sharing.newLinkSchema,
    answer: sharing.linkSchema,
  }),
  changeLink: endpoint<sharing.Link, sharing.LinkChange>(
    'PATCH /api/links/:link',
    'change',
    'Change a share link, or share what its dashboard shows by now',
    { body: sharing.linkChangeSchema, versioned: 'link', answer: sharing.linkSchema },
  ),
  deleteLink: endpoint<void>(
    'DELETE /api/links/:link',
    'change',
    'Withdraw a share link: its open pages end within seconds',
    { versioned: 'link' },
  ),
  readShared: endpoint<sharing.Shared>('GET /api/shared', 'shown', 'What a share link shows', {
    answer: sharing.sharedSchema,
  }),
  openShared: endpoint<{ credential: string }, { secret: string; passphrase: string }>(
    'POST /api/shared/open',
    'open',
    'Open a share link that has a passphrase: gives what its calls are made with',
    { looks: true, body: sharing.openSharedSchema, answer: sharing.openedSharedSchema },
  ),
  offerDevice: endpoint<sharing.Offer, { keepsTokens?: boolean }>(
    'POST /api/devices/:device/offer',
    'people',
    'Offer a device, with its history, to another workspace',
    { body: sharing.newOfferSchema, answer: sharing.offerSchema },
  ),
  withdrawOffer: endpoint<void>(
    'DELETE /api/devices/:device/offer',
    'people',
    'Withdraw the offer of a device',
  ),
  readOffer: endpoint<sharing.Offered, { secret: string }>(
    'POST /api/offers/look',
    'change',
    'What is offered',
    { looks: true, body: sharing.offerSecretSchema, answer: sharing.offeredSchema },
  ),
  takeDevice: endpoint<sharing.Taken, { secret: string }>(
    'POST /api/offers/take',
    'change',
    'Take an offered device into the workspace, with its history: the old side keeps nothing',
    { body: sharing.offerSecretSchema, answer: sharing.takenSchema },
  ),
  readFile: endpoint<file.WorkspaceDocument, undefined, { kind?: number }>(
    'GET /api/workspace/file',
    'change',
    'The definitions of the workspace as the content of a text file, without secrets',
    { query: file.fileQuerySchema, answer: file.workspaceFileSchema },
  ),
  planFile: endpoint<Plan, { document: file.WorkspaceDocument; delete?: boolean }>(
    'POST /api/workspace/plan',
    'change',
    'What applying a file would do',
    { looks: true, body: file.applyFileSchema, answer: file.planSchema },
  ),
  applyFile: endpoint<file.Applied, { document: file.WorkspaceDocument; delete?: boolean }>(
    'POST /api/workspace/apply',
    'change',
    'Make the workspace what a file says: all of it, or nothing',
    { body: file.applyFileSchema, answer: file.appliedSchema },
  ),
  listGrants: endpoint<sharing.Grant[]>('GET /api/grants', 'people', 'What is granted, and to whom', {
    answer: sharing.grantsSchema,
  }),
  createGrant: endpoint<sharing.Grant, sharing.NewGrant>(
    'POST /api/grants',
    'people',
    'Grant a person a role on one device, label or dashboard',
    { body: sharing.newGrantSchema, answer: sharing.grantSchema },
  ),
  deleteGrant: endpoint<void>('DELETE /api/grants/:grant', 'people', 'Take a grant back'),
};
