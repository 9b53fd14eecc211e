import { DataTypes } from 'sequelize';
import { fields, number, revision, type Define } from './columns';

const { BIGINT, BLOB, BOOLEAN, INTEGER, STRING, TEXT } = DataTypes;

/** What a share link shows, and a grant gives: a dashboard, one widget of one, a device; devices of a label. */
export type ShareSort = 'dashboard' | 'widget' | 'device';
export type GrantSort = 'device' | 'label' | 'dashboard';

export interface ShareLinkRow {
  /** Counted up by every change. */
  revision: number;
  id: number;
  workspaceId: number;
  title: string;
  sort: ShareSort;
  dashboardId: number | null;
  widgetId: string | null;
  /** The device it shows, or the one that is chosen on its dashboard; null for whichever can be. */
  deviceRowId: number | null;
  secretHash: Buffer;
  /** The secret under the service's key, so that editors can copy the address again. */
  sealed: string;
  /** What it may read, as it was when an editor last said so: [row of the device, number of the datastream], as JSON. */
  streams: string;
  passHash: string | null;
  /** How far back a visitor may look, in ms; null for all. */
  backMs: number | null;
  /** The period it begins with, in ms, and whether a visitor may choose another. */
  periodMs: number;
  periodOpen: boolean;
  /** Sites that may show it in a frame. */
  sites: string[];
  /** True where search engines may list it. */
  listed: boolean;
  madeBy: string;
  createdAt: number;
  endsAt: number | null;
  opened: number;
  openedAt: number | null;
}
export interface GrantRow {
  id: number;
  workspaceId: number;
  userId: number;
  role: 'viewer' | 'operator';
  sort: GrantSort;
  deviceRowId: number | null;
  label: string | null;
  dashboardId: number | null;
  madeBy: string;
  createdAt: number;
}
/** A device that is offered to another workspace. */
export interface OfferRow {
  id: number;
  workspaceId: number;
  deviceRowId: number;
  secretHash: Buffer;
  /** True where the board goes on with the tokens it has. */
  keepsTokens: boolean;
  madeBy: string;
  createdAt: number;
  endsAt: number;
}
/** One change somebody made: what was so before and after, without secrets. */
export interface ChangeRow {
  id: number;
  workspaceId: number;
  at: number;
  userId: number | null;
  who: string;
  what: string;
  target: string;
  title: string;
  act: string;
  details: { field: string; from: unknown; to: unknown }[];
}

/** Share links, grants, and the record of changes. */
export const defineSharing = (table: Define) => ({
  shareLinks: table<ShareLinkRow>('shareLinks', {
    id: number(),
    ...revision(),
    ...fields('workspaceId dashboardId deviceRowId opened', INTEGER),
    ...fields('title sort widgetId sealed passHash madeBy', STRING),
    secretHash: BLOB,
    ...fields('streams sites', TEXT),
    ...fields('backMs periodMs createdAt endsAt openedAt', BIGINT),
    ...fields('periodOpen listed', BOOLEAN),
  }),
  grants: table<GrantRow>('grants', {
    id: number(),
    ...fields('workspaceId userId deviceRowId dashboardId', INTEGER),
    ...fields('role sort label madeBy', STRING),
    createdAt: BIGINT,
  }),
  offers: table<OfferRow>('offers', {
    id: number(),
    ...fields('workspaceId deviceRowId', INTEGER),
    secretHash: BLOB,
    keepsTokens: BOOLEAN,
    madeBy: STRING,
    ...fields('createdAt endsAt', BIGINT),
  }),
  changes: table<ChangeRow>('changes', {
    id: number(),
    ...fields('workspaceId userId', INTEGER),
    ...fields('who what target title act', STRING),
    at: BIGINT,
    details: TEXT,
  }),
});
