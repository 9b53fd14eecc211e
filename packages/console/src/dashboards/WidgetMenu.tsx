import { ButtonBase, Menu, MenuItem } from '@mui/material';
import { lazy, Suspense, useState, type ReactNode } from 'react';
import { Link, useParams } from 'react-router';
import { isForVisitors, mayDo, type Widget } from '@peatmoor/core';
import { exportPath } from '@peatmoor/contract';
import { under } from '../base';
import { useRead } from '../api';
import { boundsOf, type Period } from '../charts/period';
import { chartCsv, chartPng, chartSvg, saveFile } from '../charts/saving';
import { chartView } from '../charts/view';
import { dates } from '../parts/time';
import { ink } from '../theme';
import { isVisitor } from '../visitor';
import { saves } from './saves';
import type { Source } from './useCatalogue';

const ShareDialog = lazy(() =>
  import('../sharing/ShareDialog').then((file) => ({ default: file.ShareDialog })),
);
const NoteDialog = lazy(() => import('../parts/NoteDialog').then((file) => ({ default: file.NoteDialog })));

/** What can be done with what a widget shows: look at it large, look back at it, note something, or take it away. */
export function WidgetMenu({
  widget,
  title,
  sources,
  period,
  onLarge,
}: {
  widget: Widget;
  title: string;
  sources: (Source | null)[];
  period: Period;
  onLarge: (() => void) | undefined;
}): ReactNode {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [noting, setNoting] = useState(false);
  const [sharing, setSharing] = useState(false);
  const { dashboard } = useParams();
  const onDashboard = dashboard === undefined ? null : Number(dashboard);
  const role = useRead('me').data?.role;
  const mayShare = role !== undefined && mayDo(role, 'change');
  const device = sources[0]?.device ?? null;
  if (device === null && onLarge === undefined) return null;
  const streams = sources.flatMap((source) =>
    source?.device?.id === device?.id ? (source?.stream.key ?? []) : [],
  );
  const close = (): void => setAnchor(null);
  const act = (what: () => void) => (): void => {
    close();
    what();
  };
  const file = `${title.replace(/[^\p{L}\p{N}]+/gu, '-').toLowerCase() || 'chart'}`;
  const save = (as: 'png' | 'svg' | 'csv'): void => {
    const saved = saves.of(widget.id)?.();
    if (saved === undefined) return;
    const inks = getComputedStyle(document.documentElement);
    const colour = (name: string): string => inks.getPropertyValue(`--mui-palette-inks-${name}`).trim();
    if (as === 'csv') saveFile(`${file}.csv`, chartCsv(saved.chart), 'text/csv');
    else if (as === 'svg') saveFile(`${file}.svg`, chartSvg(saved.chart), 'image/svg+xml');
    else if (saved.canvas !== null)
      void chartPng(saved.canvas, saved.chart, colour('paper'), colour('ink')).then(
        (blob) => blob && saveFile(`${file}.png`, blob, 'image/png'),
      );
  };
  const item = { sx: { minHeight: 44 } };
  const { from, to } = boundsOf(period, Date.now());
  return (
    <>
      <ButtonBase
        aria-label={`More of ${title}`}
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        onClick={({ currentTarget }) => setAnchor(currentTarget)}
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
      <Menu anchorEl={anchor} open={anchor !== null} onClose={close}>
        {onLarge && (
          <MenuItem {...item} onClick={act(onLarge)}>
            Show it large
          </MenuItem>
        )}
        {device && !isVisitor && (
          <MenuItem
            {...item}
            component={Link}
            to={`/history?show=${encodeURIComponent(streams.map((stream) => `${device.id}/${stream}`).join())}&period=${period.key}`}
            onClick={close}
          >
            Look back at {device.name}
          </MenuItem>
        )}
        {device && !isVisitor && (
          <MenuItem
            {...item}
            component={Link}
            to={`/devices/${encodeURIComponent(device.id)}`}
            onClick={close}
          >
            Go to the device
          </MenuItem>
        )}
        {device && streams[0] !== undefined && (role === undefined || mayDo(role, 'change')) && (
          <MenuItem
            {...item}
            component={Link}
            to={`/events/rules/new?device=${encodeURIComponent(device.id)}&stream=${streams[0]}`}
            onClick={close}
          >
            Alert me when …
          </MenuItem>
        )}
        {device && (role === undefined || mayDo(role, 'steer')) && (
          <MenuItem {...item} onClick={act(() => setNoting(true))}>
            Write a note
          </MenuItem>
        )}
        {onDashboard !== null && mayShare && isForVisitors(widget) && (
          <MenuItem {...item} onClick={act(() => setSharing(true))}>
            Share it
          </MenuItem>
        )}
        {saves.of(widget.id) !== undefined && [
          <MenuItem key="table" {...item} onClick={act(() => saves.toggleTable(widget.id))}>
            {saves.isTable(widget.id) ? 'As a chart' : 'As a table'}
          </MenuItem>,
          ...(['png', 'svg', 'csv'] as const).map((as) => (
            <MenuItem key={as} {...item} onClick={act(() => save(as))}>
              Save what is shown as {as.toUpperCase()}
            </MenuItem>
          )),
        ]}
        {device &&
          (role === undefined || mayDo(role, 'look')) &&
          streams.length > 0 &&
          (['csv', 'sheet'] as const).map((format) => (
            <MenuItem
              key={format}
              {...item}
              component="a"
              download
              href={under(
                exportPath(device.id, {
                  format,
                  streams: streams.join(),
                  from,
                  to,
                  zone: dates().zone,
                }),
              )}
              onClick={close}
            >
              {format === 'csv'
                ? `Every reading of ${period.until === null ? `the last ${period.title}` : period.title} as CSV`
                : 'The same as a sheet in local time'}
            </MenuItem>
          ))}
      </Menu>
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
