import { ButtonBase } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import { useParams } from 'react-router';
import type { Widget } from '@peatmoor/core';
import type { Period } from '../charts/period';
import { chartView } from '../charts/view';
import { later } from '../parts/later';
import { useAnchor } from '../parts/useAnchor';
import { ink } from '../theme';
import type { Source } from './useCatalogue';

const WidgetActions = later(() => import('./WidgetActions'), 'WidgetActions');
const ShareDialog = later(() => import('../sharing/ShareDialog'), 'ShareDialog');
const NoteDialog = later(() => import('../parts/NoteDialog'), 'NoteDialog');

/** How a widget is changed from its menu. */
export interface WidgetTools {
  onChange: () => void;
  onCopy: () => void;
}

/** What can be done with what a widget shows: look at it large, look back at it, note something, or take it away. */
export function WidgetMenu({
  widget,
  title,
  sources,
  period,
  onLarge,
  tools,
}: {
  widget: Widget;
  title: string;
  sources: (Source | null)[];
  period: Period;
  onLarge: (() => void) | undefined;
  tools: WidgetTools | undefined;
}): ReactNode {
  const menu = useAnchor();
  const [noting, setNoting] = useState(false);
  const [sharing, setSharing] = useState(false);
  const { dashboard } = useParams();
  const onDashboard = dashboard === undefined ? null : Number(dashboard);
  const device = sources[0]?.device ?? null;
  if (device === null && onLarge === undefined) return null;
  const streams = sources.flatMap((source) =>
    source?.device?.id === device?.id ? (source?.stream.key ?? []) : [],
  );
  return (
    <>
      <ButtonBase
        aria-label={`More of ${title}`}
        aria-haspopup="menu"
        aria-expanded={menu.at !== null}
        onClick={menu.open}
        sx={{
          alignSelf: 'center',
          minWidth: 32,
          height: 24,
          fontSize: '1.1rem',
          lineHeight: 1,
          color: ink.soft,
        }}
      >
        ⋯
      </ButtonBase>
      {menu.wasOpened && (
        <Suspense>
          <WidgetActions
            anchor={menu.at}
            widget={widget}
            title={title}
            device={device}
            streams={streams}
            period={period}
            onLarge={onLarge}
            onChange={tools?.onChange}
            onCopy={tools?.onCopy}
            onNote={() => setNoting(true)}
            onShare={onDashboard === null ? undefined : () => setSharing(true)}
            onClose={menu.close}
          />
        </Suspense>
      )}
      {sharing && onDashboard !== null && (
        <Suspense>
          <ShareDialog
            subject={{ sort: 'widget', dashboardId: onDashboard, widgetId: widget.id, deviceId: null }}
            title={title}
            onClose={() => setSharing(false)}
          />
        </Suspense>
      )}
      {noting && device && (
        <Suspense>
          <NoteDialog
            device={device}
            at={chartView.now().markers.at(-1) ?? null}
            onClose={() => setNoting(false)}
          />
        </Suspense>
      )}
    </>
  );
}
