import * as claims from '../schemas/claims';
import * as computing from '../schemas/computing';
import * as kinds from '../schemas/kinds';
import * as paging from '../schemas/paging';
import { endpoint, type Query } from './endpoint';

type StreamIn = Pick<kinds.NewStream, 'key' | 'title' | 'type'> & Partial<kinds.NewStream>;

export type KindIn = Pick<kinds.NewKind, 'title'> &
  Partial<Omit<kinds.NewKind, 'title' | 'streams'>> & { streams?: StreamIn[] };

/** Kinds with their datastreams, claims and computations. */
export const kindsEndpoints = {
  listKinds: endpoint<kinds.Kind[], undefined, Query<paging.KindsQuery>>(
    'GET /api/kinds',
    'shown',
    'Device kinds with their datastreams',
    {
      query: paging.kindsQuerySchema,
      pages: 'all',
      answer: kinds.kindsSchema,
    },
  ),
  createKind: endpoint<kinds.Kind, KindIn>('POST /api/kinds', 'change', 'Make a kind', {
    body: kinds.newKindSchema,
    answer: kinds.kindSchema,
  }),
  readKind: endpoint<kinds.Kind>('GET /api/kinds/:kind', 'shown', 'One kind', {
    versioned: 'kind',
    answer: kinds.kindSchema,
  }),
  changeKind: endpoint<kinds.Kind, kinds.KindChange>(
    'PATCH /api/kinds/:kind',
    'change',
    'Change title or expected interval',
    { body: kinds.kindChangeSchema, versioned: 'kind', answer: kinds.kindSchema },
  ),
  deleteKind: endpoint<void>('DELETE /api/kinds/:kind', 'change', 'Delete a kind that has no devices', {
    versioned: 'kind',
  }),
  copyKind: endpoint<kinds.Kind, { title: string }>(
    'POST /api/kinds/:kind/copy',
    'change',
    'Make a kind with the same datastreams',
    { body: kinds.copyKindSchema, answer: kinds.kindSchema },
  ),
  moveDevices: endpoint<kinds.MovedDevices, Pick<kinds.MoveDevices, 'devices'> & Partial<kinds.MoveDevices>>(
    'POST /api/kinds/:kind/devices',
    'change',
    'Move devices to this kind; `try` only tells which history goes along and which does not',
    { body: kinds.moveDevicesSchema, answer: kinds.movedDevicesSchema },
  ),
  streamEffect: endpoint<kinds.Effect>(
    'GET /api/kinds/:kind/streams/:stream/effect',
    'look',
    'How many devices and readings a change or deletion would reach',
    { answer: kinds.effectSchema },
  ),
  createStream: endpoint<kinds.Stream, StreamIn>(
    'POST /api/kinds/:kind/streams',
    'change',
    'Add a datastream to a kind',
    { body: kinds.streamSchema, versioned: 'kind', answer: kinds.keptStreamSchema },
  ),
  changeStream: endpoint<kinds.Stream, StreamIn & { past?: kinds.PastUnit }>(
    'PUT /api/kinds/:kind/streams/:stream',
    'change',
    'Change a datastream; a changed key keeps the old one as alias, and `past` says what becomes of readings where its unit is another',
    { body: kinds.streamChangeSchema, versioned: 'kind', answer: kinds.keptStreamSchema },
  ),
  deleteStream: endpoint<void>(
    'DELETE /api/kinds/:kind/streams/:stream',
    'change',
    'Delete a datastream with its readings',
    { versioned: 'kind' },
  ),
  listClaims: endpoint<claims.Claim[], undefined, Query<paging.PageQuery>>(
    'GET /api/kinds/:kind/claims',
    'change',
    'Claim secrets of a kind, with the boards that claimed',
    { query: paging.pageQuerySchema, pages: 'all', answer: claims.claimsSchema },
  ),
  createClaim: endpoint<claims.MadeClaim, Partial<claims.NewClaim>>(
    'POST /api/kinds/:kind/claims',
    'change',
    'Make a claim secret, with which boards fetch a device and token of their own; shown once',
    { body: claims.newClaimSchema, answer: claims.madeClaimSchema },
  ),
  endClaim: endpoint<void>('DELETE /api/kinds/:kind/claims/:claim', 'change', 'End a claim secret'),
  reopenClaim: endpoint<void, { device: string }>(
    'POST /api/kinds/:kind/claims/:claim/reopen',
    'change',
    'Let the board of a device claim once more; its tokens end when it does',
    { body: claims.reopenClaimSchema },
  ),
  tryComputation: endpoint<computing.Tried, computing.TryComputation>(
    'POST /api/kinds/:kind/compute',
    'change',
    'Check a computed datastream, and show what it makes of recent readings; keeps nothing',
    { looks: true, body: computing.tryComputationSchema, answer: computing.triedSchema },
  ),
  recompute: endpoint<{ devices: number }, { device?: string }>(
    'POST /api/kinds/:kind/streams/:stream/recompute',
    'change',
    'Work a computed datastream out anew over history',
    { body: computing.recomputeSchema, answer: computing.askedSchema },
  ),
  listRecomputations: endpoint<computing.Recomputation[], undefined, Query<paging.RecomputationsQuery>>(
    'GET /api/kinds/:kind/streams/:stream/recompute',
    'look',
    'How far working out over history has come, by device',
    { query: paging.recomputationsQuerySchema, pages: 'newest', answer: computing.recomputationsSchema },
  ),
};
