import { hash } from '@node-rs/argon2';
import { isForVisitors, sayShown } from '@peatmoor/core';
import type { Link, LinkPreview, Shared } from '@peatmoor/contract';
import { createLimits, type Bound } from '../auth/limits';
import { now as clockNow } from '../clock';
import { countedAddress } from '../listeners/address';
import { notFound, ProblemError, wrongField } from '../problems';
import { hashSecret } from '../registry';
import { boardOf, shownBy, type ShownRow, type Subject } from '../sharing/boards';
import {
  carriedBy,
  carriedText,
  chosenOf,
  countOpened,
  linkBy,
  LINK_PREFIX,
  newLinkSecret,
  openWith,
  previewCredential,
} from '../sharing/visitors';
import type { ShareLinkRow, ShareSort } from '../store/models';
import { addTo, changeIn, deleteIn, listIn, oneIn } from '../store/rows';
import { numberOf, type ApiParts, type Handlers } from './context';
import { PLAIN_LOOK } from './dashboards';
import type { Scope } from './scope';

type SharingHandlers = Pick<
  Handlers,
  'listLinks' | 'previewLink' | 'createLink' | 'changeLink' | 'deleteLink' | 'readShared' | 'openShared'
>;
/** Links of one workspace at the most. */
const MOST_LINKS = 100;

interface Of {
  sort: ShareSort;
  dashboardId: number | null;
  widgetId: string | null;
  deviceId: string | null;
}

/** Share links: looking at what a visitor would see, making, changing and withdrawing them, and opening them. */
export function sharingHandlers(parts: ApiParts): SharingHandlers {
  const { store, bus, sealer, address } = parts;
  const { models } = store;
  const limits = createLimits(store);
  const changed = (scope: Scope, id: number): void =>
    bus.emit('live', {
      workspaceId: scope.workspaceId,
      message: { type: 'changed', what: 'links', id, by: scope.userName },
    });
  /** What a body says is to be shown, and all that it shows now. Throws 422 where something of it is not there. */
  const subjectOf = async (
    scope: Scope,
    { sort, dashboardId, widgetId, deviceId }: Of,
  ): Promise<{ subject: Subject; shown: ShownRow[] }> => {
    const device =
      deviceId === null ? null : await oneIn(models.devices, scope.workspaceId, { id: deviceId });
    if (deviceId !== null && device === null)
      throw wrongField(
        'deviceId',
        `"${deviceId}" is not a device of this workspace`,
        'Choose one of its devices.',
      );
    if (sort === 'device' && device === null)
      throw wrongField('deviceId', 'is missing', 'Say which device the link shows.');
    if (sort !== 'device' && dashboardId === null)
      throw wrongField('dashboardId', 'is missing', 'Say which dashboard the link shows.');
    if (sort === 'widget' && widgetId === null)
      throw wrongField('widgetId', 'is missing', 'Say which widget of the dashboard the link shows.');
    const subject: Subject = {
      sort,
      dashboardId: sort === 'device' ? null : dashboardId,
      widgetId: sort === 'widget' ? widgetId : null,
      deviceRowId: device?.rowId ?? null,
    };
    const board = await boardOf(store, scope.workspaceId, subject);
    if (board === null)
      throw wrongField(
        sort === 'widget' ? 'widgetId' : 'dashboardId',
        sort === 'widget' ? 'is not a widget of this dashboard' : 'is not a dashboard of this workspace',
        'Choose one that is there.',
      );
    if (sort === 'widget' && !board.widgets.every(isForVisitors))
      throw wrongField(
        'widgetId',
        'steers, or tells what goes on inside the workspace',
        'Share a widget that shows values.',
      );
    return { subject, shown: await shownBy(store, scope.workspaceId, board, { chosen: chosenOf(subject) }) };
  };
  const toLink = async (row: ShareLinkRow): Promise<Link> => {
    const board = await boardOf(store, row.workspaceId, row);
    const shown =
      board === null ? [] : await shownBy(store, row.workspaceId, board, { chosen: chosenOf(row) });
    const carried = new Set(carriedBy(row).map(([device, stream]) => `${device} ${stream}`));
    const isCarried = ({ deviceRowId, streamId }: ShownRow): boolean =>
      carried.has(`${deviceRowId} ${streamId}`);
    const device =
      row.deviceRowId === null
        ? null
        : await oneIn(models.devices, row.workspaceId, { rowId: row.deviceRowId });
    const { id, title, sort, dashboardId, widgetId, backMs, periodMs, periodOpen, sites, listed } = row;
    return {
      id,
      title,
      sort,
      dashboardId,
      widgetId,
      deviceId: device?.id ?? null,
      address: `${address().httpUrl}/shared/${sealer.open(row.sealed) ?? ''}`,
      hasPassphrase: row.passHash !== null,
      backMs,
      periodMs,
      periodOpen,
      sites,
      listed,
      madeBy: row.madeBy,
      createdAt: row.createdAt,
      endsAt: row.endsAt,
      opened: row.opened,
      openedAt: row.openedAt,
      shows: sayShown(shown.filter(isCarried), backMs),
      waiting: shown.filter((one) => !isCarried(one)).map(named),
      version: row.revision,
    };
  };
  const linkOf = async (scope: Scope, text: string | undefined): Promise<ShareLinkRow> => {
    const row = await oneIn(models.shareLinks, scope.workspaceId, { id: numberOf(text, 'share link') });
    if (row === null) throw notFound('share link', text ?? '');
    return row;
  };
  const demandAhead = (endsAt: number | null | undefined): void => {
    if (endsAt !== null && endsAt !== undefined && endsAt <= clockNow())
      throw wrongField('endsAt', 'is over already', 'Choose a time ahead, or none.');
  };
  return {
    listLinks: async ({ scope }) => {
      const rows = await listIn(models.shareLinks, scope.workspaceId, { order: ['id'], limit: MOST_LINKS });
      return Promise.all(rows.map(toLink));
    },
    previewLink: async ({ scope, body }): Promise<LinkPreview> => {
      const { subject, shown } = await subjectOf(scope, body as Of);
      const {
        backMs = null,
        periodMs,
        periodOpen,
      } = body as Pick<ShareLinkRow, 'backMs' | 'periodMs' | 'periodOpen'>;
      const { workspaceId } = scope;
      const credential = await previewCredential(store, {
        ...subject,
        backMs,
        periodMs,
        periodOpen,
        workspaceId,
      });
      return {
        shows: sayShown(shown, backMs),
        streams: shown.map(named),
        page: `${address().httpUrl}/shared/${credential}`,
      };
    },
    createLink: async ({ scope, body }) => {
      demandAhead(body.endsAt);
      const { subject, shown } = await subjectOf(scope, body as Of);
      if ((await models.shareLinks.count({ where: { workspaceId: scope.workspaceId } })) >= MOST_LINKS)
        throw wrongField(
          'title',
          `is one link too many: there are ${MOST_LINKS}`,
          'Withdraw some that nobody needs.',
        );
      const secret = newLinkSecret();
      const { title, backMs, periodMs, periodOpen, sites, listed, passphrase, endsAt } = body as Required<
        typeof body
      >;
      const row = await addTo(models.shareLinks, scope.workspaceId, {
        ...subject,
        title,
        secretHash: hashSecret(secret),
        sealed: sealer.seal(secret),
        streams: carriedText(shown),
        passHash: passphrase === null ? null : await hash(passphrase),
        backMs,
        periodMs,
        periodOpen,
        sites: [...new Set(sites)],
        listed,
        madeBy: scope.userName,
        createdAt: clockNow(),
        endsAt,
      });
      changed(scope, row.id);
      return toLink(await linkOf(scope, String(row.id)));
    },
    changeLink: async ({ scope, params, body }) => {
      const row = await linkOf(scope, params.link);
      const { include = false, passphrase, ...rest } = body;
      demandAhead(rest.endsAt);
      const said = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined));
      const change: Partial<ShareLinkRow> = said;
      if (passphrase !== undefined) change.passHash = passphrase === null ? null : await hash(passphrase);
      if (include) {
        const board = await boardOf(store, scope.workspaceId, row);
        if (board !== null)
          change.streams = carriedText(
            await shownBy(store, scope.workspaceId, board, { chosen: chosenOf(row) }),
          );
      }
      if (Object.keys(change).length > 0)
        await changeIn(models.shareLinks, scope.workspaceId, { id: row.id }, change);
      changed(scope, row.id);
      return toLink(await linkOf(scope, params.link));
    },
    deleteLink: async ({ scope, params }) => {
      const id = numberOf(params.link, 'share link');
      if ((await deleteIn(models.shareLinks, scope.workspaceId, { id })) === 0)
        throw notFound('share link', params.link ?? '');
      changed(scope, id);
    },
    readShared: async ({ scope }): Promise<Shared> => {
      const { visit } = scope;
      if (visit === null) throw notFound('share link', '');
      const { linkId, board, title, sort, backMs, periodMs, periodOpen, endsAt } = visit;
      return {
        title,
        sort,
        zone: scope.workspace.zone,
        backMs,
        periodMs,
        periodOpen,
        // A page that is looked at before there is a link tells nothing of its own end.
        endsAt: linkId === null ? null : endsAt,
        dashboard: {
          ...PLAIN_LOOK,
          pages: sort === 'dashboard' ? (board.row?.look.pages ?? []) : [],
          forLabel: board.forLabel ?? null,
          id: 0,
          title: board.title,
          kindId: board.kindId,
          version: board.row?.version ?? 1,
          changedBy: '',
          changedAt: 0,
          widgets: board.widgets.filter(isForVisitors),
        },
      };
    },
    openShared: async ({ body, request }) => {
      const from = countedAddress(request);
      const link = await linkBy(store, body.secret);
      const bounds: Bound[] = [
        { name: `open link ${link?.id ?? 0} ${from}`, most: 8, seconds: 300, forgets: true },
        { name: `open link ${link?.id ?? 0}`, most: 200, seconds: 300 },
      ];
      await limits.attempt(bounds, 'open the link');
      if (link === null)
        throw new ProblemError(
          'link-not-valid',
          'This link was withdrawn, or is over. Ask whoever gave it to you for a new one.',
        );
      const opened = await openWith(store, link, body.passphrase);
      if (opened === null)
        throw wrongField('passphrase', 'is not right', 'Type it as you were given it; capitals matter.');
      await limits.succeeded(bounds);
      await countOpened(store, link);
      return { credential: `${LINK_PREFIX}${body.secret}.${opened}` };
    },
  };
}

const named = ({ device, deviceName, stream, title }: ShownRow): Link['waiting'][number] => ({
  device,
  deviceName,
  stream,
  title,
});
