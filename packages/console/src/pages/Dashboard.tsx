import { Box, Button, Typography, useMediaQuery } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { Link, useLocation, useNavigate, useParams } from 'react-router';
import { addWidgets, findPlace, fitPlace, shiftWidget, type Widget } from '@peatmoor/core';
import { useChange } from '../api';
import { TimeStrip } from '../charts/TimeStrip';
import { usePeriod } from '../charts/usePeriod';
import { ChosenLine } from '../dashboards/ChosenLine';
import { ConflictNotice } from '../dashboards/ConflictNotice';
import { DashboardView, type Arranger } from '../dashboards/DashboardView';
import type { WidgetTools } from '../dashboards/WidgetMenu';
import { Pages } from '../dashboards/Pages';
import { useCatalogue } from '../dashboards/useCatalogue';
import { useChosen } from '../dashboards/useChosen';
import { useDraft, type Draft } from '../dashboards/useDraft';
import { useUndoKeys } from '../dashboards/useUndoKeys';
import { useAsk } from '../parts/Ask';
import { Heading } from '../parts/Heading';
import { InSlices } from '../parts/InSlices';
import { KindMark } from '../parts/KindMark';
import { Notice } from '../parts/Notice';
import { NotThere } from '../parts/NotThere';
import { useAddress } from '../parts/useAddress';
import { useMay } from '../parts/useMay';
import { later } from '../parts/later';
import { ink } from '../theme';

// Dialogs are fetched when they are first opened.
const TitleField = later(() => import('../dashboards/Titles'), 'TitleField');
const AddWidgets = later(() => import('../dashboards/AddWidgets'), 'AddWidgets');
const ConfigureWidget = later(() => import('../dashboards/ConfigureWidget'), 'ConfigureWidget');
const DashboardFields = later(() => import('../dashboards/DashboardFields'), 'DashboardFields');

const ShareDialog = later(() => import('../sharing/ShareDialog'), 'ShareDialog');

let counter = 0;
const newId = (): string => `w${Date.now().toString(36)}${(counter++).toString(36)}`;

/** A dashboard: widgets, the time strip, and editing in place. */
export function Dashboard(): ReactNode {
  const id = Number(useParams().dashboard);
  return <OneDashboard key={id} id={id} />;
}

function OneDashboard({ id }: { id: number }): ReactNode {
  const { state } = useLocation() as { state: { editing?: boolean } | null };
  const draft = useDraft(id);
  const { content } = draft;
  const catalogue = useCatalogue(content?.kindId ?? null);
  const phone = useMediaQuery('(max-width: 719px)');
  const mayChange = useMay('change');
  const [wantsEditing, setEditing] = useState(state?.editing ?? false);
  const editing = wantsEditing && mayChange;
  const [sharing, setSharing] = useState(false);
  const [asPhone, setAsPhone] = useState(false);
  const [dialog, setDialog] = useState<'add' | 'about' | Widget | null>(null);
  const [period, setPeriod] = usePeriod();
  const [pageText, setPage] = useAddress('page');
  const chosen = useChosen(id, content, catalogue);
  const ask = useAsk();
  useUndoKeys(editing, draft);
  if (content === null || catalogue === null)
    return <NotThere error={draft.error} what="dashboard" back={['All dashboards', '/dashboards']} />;
  const { title, pages, icon, colour } = content;
  const page = Math.min(Math.max(0, pages.length - 1), Math.max(0, (Number(pageText) || 1) - 1));
  const isHere = (widget: Widget): boolean => pages.length < 2 || (widget.page ?? 0) === page;
  const widgets = content.widgets.filter(isHere);
  const setWidgets = (change: (widgets: Widget[]) => Widget[]): void =>
    draft.edit((now) => ({ ...now, widgets: change(now.widgets) }));
  /** Changes those of this page only. */
  const setHere = (change: (widgets: Widget[]) => Widget[]): void =>
    setWidgets((all) => [
      ...all.filter((one) => !isHere(one)),
      ...change(all.filter(isHere)).map((one) => (page === 0 ? one : { ...one, page })),
    ]);
  const arranger: Arranger | null = editing
    ? {
        change: setHere,
        of: (widget) => ({
          onConfigure: () => setDialog(widget),
          onRemove: () => setWidgets((all) => all.filter(({ id: one }) => one !== widget.id)),
          onShift: (by) => setHere((all) => shiftWidget(all, widget.id, by)),
        }),
      }
    : null;
  const copy = (one: Widget): void =>
    setHere((all) => [...all, { ...one, id: newId(), ...findPlace(all, { w: one.w, h: one.h }) }]);
  /** What is done from a widget's menu goes on while the dashboard is arranged: there it can be undone. */
  const toolsOf = (one: Widget): WidgetTools => {
    const arrange = (what: () => void) => (): void => {
      setEditing(true);
      what();
    };
    return { onChange: arrange(() => setDialog(one)), onCopy: arrange(() => copy(one)) };
  };
  const removePage = async (): Promise<void> => {
    const yes =
      widgets.length === 0 ||
      (await ask({
        title: `Remove the page “${pages[page] || `Page ${page + 1}`}”?`,
        text: 'Its widgets go with it; Undo brings them back.',
        action: 'Remove it',
      }));
    if (!yes) return;
    draft.edit((now) => ({
      ...now,
      pages: now.pages.filter((_, i) => i !== page),
      widgets: now.widgets
        .filter((one) => (one.page ?? 0) !== page)
        .map((one) => ((one.page ?? 0) > page ? { ...one, page: one.page! - 1 } : one)),
    }));
    setPage('');
  };
  const chosenKinds = content.forLabel
    ? [...new Set(chosen.among.map(({ kindId }) => kindId))]
    : content.kindId === null
      ? []
      : [content.kindId];
  const pagesOf = (arranged: boolean): ReactNode => (
    <Pages
      pages={pages}
      at={page}
      onGo={(next) => setPage(next === 0 ? '' : String(next + 1))}
      onChange={arranged ? (next) => draft.edit((now) => ({ ...now, pages: next })) : undefined}
      onRemove={arranged ? () => void removePage() : undefined}
    />
  );
  return (
    <>
      <Heading
        name={title}
        title={
          editing ? (
            <Suspense fallback={title}>
              <TitleField title={title} onChange={(next) => draft.edit((now) => ({ ...now, title: next }))} />
            </Suspense>
          ) : (
            <Box component="span" sx={colour === 'ink' ? {} : { borderBottom: `4px solid ${ink[colour]}` }}>
              {icon && <KindMark icon={icon} size={26} />} {title}
            </Box>
          )
        }
        below={editing ? <KeptMark draft={draft} /> : undefined}
      >
        {editing && (
          <>
            <Button onClick={() => setDialog('add')}>Add widgets</Button>
            <Button disabled={draft.undo === null} onClick={() => draft.undo?.()}>
              Undo
            </Button>
            <Button disabled={draft.redo === null} onClick={() => draft.redo?.()}>
              Redo
            </Button>
            {!phone && (
              <Button aria-pressed={asPhone} onClick={() => setAsPhone(!asPhone)}>
                {asPhone ? 'Wide' : 'On the phone'}
              </Button>
            )}
            <Button onClick={() => setDialog('about')}>About it</Button>
            <DeleteButton id={id} />
          </>
        )}
        {!editing && pagesOf(false)}
        {!editing && mayChange && <Button onClick={() => setSharing(true)}>Share</Button>}
        {!editing && (
          <Button component={Link} to={`/dashboards/${id}/wall`}>
            On the wall
          </Button>
        )}
        {mayChange && (
          <Button
            variant={editing ? 'contained' : 'outlined'}
            color={editing ? 'primary' : 'inherit'}
            onClick={() => setEditing(!editing)}
          >
            {editing ? 'Done' : 'Edit'}
          </Button>
        )}
      </Heading>
      <ChosenLine chosen={chosen} />
      {draft.conflict && <ConflictNotice conflict={draft.conflict} />}
      {(draft.state === 'failed' || (draft.state === 'conflict' && draft.conflict === null)) && (
        <Notice error={draft.error} />
      )}
      {draft.changedBy && (
        <Notice tone="plain">
          {draft.changedBy} changed this dashboard just now, in another window. You see the new one.
        </Notice>
      )}
      {editing && pagesOf(true)}
      {widgets.length === 0 && (
        <Typography color="textSecondary">
          Nothing here yet.{' '}
          {editing
            ? 'Add widgets; several at once if you like.'
            : mayChange
              ? 'Press Edit to add widgets.'
              : 'An editor of the workspace adds widgets.'}
        </Typography>
      )}
      <InSlices>
        <DashboardView
          widgets={widgets}
          devices={chosen.devices}
          catalogue={catalogue}
          period={period}
          onPeriod={setPeriod}
          arranger={arranger}
          toolsOf={mayChange ? toolsOf : undefined}
          asPhone={editing && asPhone}
        />
      </InSlices>
      <Suspense>
        {sharing && (
          <ShareDialog
            subject={{ sort: 'dashboard', dashboardId: id, widgetId: null, deviceId: null }}
            title={title}
            among={chosen.among}
            onClose={() => setSharing(false)}
          />
        )}
        {dialog === 'add' && (
          <AddWidgets
            catalogue={catalogue}
            chosenKinds={chosenKinds}
            onClose={() => setDialog(null)}
            onAdd={(type, groups) => setHere((all) => addWidgets(all, type, groups, newId))}
          />
        )}
        {dialog === 'about' && (
          <DashboardFields
            content={content}
            catalogue={catalogue}
            onClose={() => setDialog(null)}
            onChange={(next) => draft.edit((now) => ({ ...next, widgets: now.widgets, pages: now.pages }))}
          />
        )}
        {dialog !== null && typeof dialog === 'object' && (
          <ConfigureWidget
            widget={dialog}
            dashboard={id}
            catalogue={catalogue}
            chosen={chosen.devices[0]?.id ?? null}
            kindId={chosenKinds[0] ?? null}
            period={period}
            onCopy={copy}
            onClose={() => setDialog(null)}
            onChange={(next) =>
              setWidgets((all) => all.map((one) => (one.id === next.id ? fitPlace(next) : one)))
            }
          />
        )}
      </Suspense>
      <TimeStrip period={period} onChange={setPeriod} />
    </>
  );
}

function KeptMark({ draft }: { draft: Draft }): ReactNode {
  const words = {
    kept: 'All changes are kept.',
    keeping: 'Keeping …',
    conflict: 'Not kept.',
    failed: 'Not kept on the service yet; it is kept in this browser.',
  } as const;
  return (
    <Box
      component="span"
      role="status"
      data-kept={draft.state}
      sx={{ color: draft.state === 'kept' ? ink.moss : ink.soft }}
    >
      {words[draft.state]}
    </Box>
  );
}

function DeleteButton({ id }: { id: number }): ReactNode {
  const navigate = useNavigate();
  const ask = useAsk();
  const remove = useChange('deleteDashboard', ['listDashboards', 'readDevice']);
  return (
    <Button
      disabled={remove.isPending}
      onClick={() =>
        void ask({
          title: 'Delete this dashboard?',
          text: 'Its arrangement is gone for everybody. Devices and readings stay.',
          action: 'Delete it',
        }).then(
          (yes) =>
            yes &&
            remove.mutate({ params: { dashboard: id } }, { onSuccess: () => void navigate('/dashboards') }),
        )
      }
    >
      Delete
    </Button>
  );
}
