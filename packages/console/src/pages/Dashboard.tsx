import { Box, Button, MenuItem, TextField, Typography, useMediaQuery } from '@mui/material';
import { useEffect, useState, type ReactNode } from 'react';
import { useLocation, useNavigate, useParams } from 'react-router';
import { addWidgets, findPlace, fitPlace, type Place, type Widget } from '@peatmoor/core';
import { useChange } from '../api';
import { usePeriod } from '../charts/usePeriod';
import { TimeStrip } from '../charts/TimeStrip';
import { AddWidgets } from '../dashboards/AddWidgets';
import { ConfigureWidget } from '../dashboards/ConfigureWidget';
import { PhoneColumn } from '../dashboards/PhoneColumn';
import { useCatalogue } from '../dashboards/useCatalogue';
import { useDraft, type Draft } from '../dashboards/useDraft';
import { WideGrid } from '../dashboards/WideGrid';
import { WidgetFrame } from '../dashboards/WidgetFrame';
import { useAsk } from '../parts/Ask';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { NotThere } from '../parts/NotThere';
import { useAddress } from '../parts/useAddress';
import { ink } from '../theme';

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
  const { content, kindId } = draft;
  const catalogue = useCatalogue(kindId);
  const phone = useMediaQuery('(max-width: 719px)');
  const [editing, setEditing] = useState(state?.editing ?? false);
  const [adding, setAdding] = useState(false);
  const [configured, setConfigured] = useState<Widget | null>(null);
  const [period, setPeriod] = usePeriod();
  const [picked, setPicked] = useAddress('device');
  const { undo } = draft;
  // As everywhere: Ctrl+Z takes the last change back, but not while something is written.
  useEffect(() => {
    if (!editing || undo === null) return;
    const take = (event: KeyboardEvent): void => {
      const writing =
        event.target instanceof HTMLElement && event.target.matches('input, textarea, [contenteditable]');
      if (writing || event.key.toLowerCase() !== 'z' || !(event.ctrlKey || event.metaKey) || event.shiftKey)
        return;
      event.preventDefault();
      undo();
    };
    window.addEventListener('keydown', take);
    return () => window.removeEventListener('keydown', take);
  }, [editing, undo]);
  if (content === null || catalogue === null)
    return <NotThere error={draft.error} what="dashboard" back={['All dashboards', '/dashboards']} />;
  const { widgets, title } = content;
  const ofKind = catalogue.devices.filter((device) => device.kindId === kindId);
  const usesChosen = widgets.some(({ sources }) => sources.some(({ device }) => device === null));
  const chosen = ofKind.find((device) => device.id === picked)?.id ?? ofKind[0]?.id ?? null;
  const setWidgets = (change: (widgets: Widget[]) => Widget[]): void =>
    draft.edit((now) => ({ ...now, widgets: change(now.widgets) }));
  const move = (places: Map<string, Place>): void =>
    setWidgets((all) => all.map((widget) => ({ ...widget, ...places.get(widget.id) })));
  const render = (widget: Widget): ReactNode => (
    <WidgetFrame
      widget={widget}
      sources={widget.sources.map((source) => catalogue.find(source, chosen))}
      period={period}
      editing={editing}
      onConfigure={() => setConfigured(widget)}
      onRemove={() => setWidgets((all) => all.filter(({ id: one }) => one !== widget.id))}
    />
  );
  return (
    <>
      <Heading
        name={title}
        title={
          editing ? (
            <TitleField title={title} onChange={(next) => draft.edit((now) => ({ ...now, title: next }))} />
          ) : (
            title
          )
        }
        below={editing ? <KeptMark draft={draft} /> : undefined}
      >
        {editing && (
          <>
            <Button onClick={() => setAdding(true)}>Add widgets</Button>
            <Button disabled={draft.undo === null} onClick={() => draft.undo?.()}>
              Undo
            </Button>
            <DeleteButton id={id} />
          </>
        )}
        <Button
          variant={editing ? 'contained' : 'outlined'}
          color={editing ? 'primary' : 'inherit'}
          onClick={() => setEditing(!editing)}
        >
          {editing ? 'Done' : 'Edit'}
        </Button>
      </Heading>
      {usesChosen && ofKind.length > 1 && (
        <TextField
          select
          label="Chosen device"
          value={chosen ?? ''}
          onChange={({ target }) => setPicked(target.value)}
          sx={{ maxWidth: 280, mb: 3 }}
        >
          {ofKind.map((device) => (
            <MenuItem key={device.id} value={device.id}>
              {device.name}
            </MenuItem>
          ))}
        </TextField>
      )}
      {draft.state === 'conflict' && (
        <Notice error={draft.error} action={{ label: 'Load the newer one', onClick: draft.reload }} />
      )}
      {draft.state === 'failed' && <Notice error={draft.error} />}
      {draft.changedBy && (
        <Notice tone="plain">
          {draft.changedBy} changed this dashboard just now, in another window. You see the new one.
        </Notice>
      )}
      {widgets.length === 0 && (
        <Typography color="text.secondary">
          Nothing here yet.{' '}
          {editing ? 'Add widgets; several at once if you like.' : 'Press Edit to add widgets.'}
        </Typography>
      )}
      {phone ? (
        <PhoneColumn widgets={widgets} render={render} />
      ) : (
        <WideGrid widgets={widgets} editing={editing} onMove={move} render={render} />
      )}
      {adding && (
        <AddWidgets
          catalogue={catalogue}
          kindId={kindId}
          onClose={() => setAdding(false)}
          onAdd={(type, groups) => setWidgets((all) => addWidgets(all, type, groups, newId))}
        />
      )}
      {configured && (
        <ConfigureWidget
          widget={configured}
          catalogue={catalogue}
          chosen={chosen}
          kindId={kindId}
          onCopy={(one) =>
            setWidgets((all) => [...all, { ...one, id: newId(), ...findPlace(all, { w: one.w, h: one.h }) }])
          }
          onClose={() => setConfigured(null)}
          onChange={(next) =>
            setWidgets((all) => all.map((one) => (one.id === next.id ? fitPlace(next) : one)))
          }
        />
      )}
      <TimeStrip period={period} onChange={setPeriod} />
    </>
  );
}

function TitleField({ title, onChange }: { title: string; onChange: (title: string) => void }): ReactNode {
  return (
    <TextField
      value={title}
      onChange={({ target }) => target.value.trim() !== '' && onChange(target.value.slice(0, 80))}
      slotProps={{ htmlInput: { 'aria-label': 'Title', style: { fontSize: '1.7rem', fontWeight: 700 } } }}
    />
  );
}

function KeptMark({ draft }: { draft: Draft }): ReactNode {
  const words = {
    kept: 'All changes are kept.',
    keeping: 'Keeping …',
    conflict: 'Not kept.',
    failed: 'Not kept.',
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
