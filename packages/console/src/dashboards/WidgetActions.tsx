import { Menu, MenuItem } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { isForVisitors, mayDo, type Widget } from '@peatmoor/core';
import { exportPath } from '@peatmoor/contract';
import { under } from '../base';
import { useRead } from '../api';
import { boundsOf, type Period } from '../charts/period';
import { chartSvg } from '../charts/chartSvg';
import { chartCsv, chartPng, saveFile } from '../charts/saving';
import { dates } from '../parts/time';
import { isVisitor } from '../visitor';
import { saves } from './saves';
import { serviceNow } from '../live/clock';

/** The menu of a widget. */
export function WidgetActions({
  anchor,
  widget,
  title,
  device,
  streams,
  period,
  onLarge,
  onChange,
  onCopy,
  onNote,
  onShare,
  onClose,
}: {
  /** What it stands beside; null while it is closed. */
  anchor: HTMLElement | null;
  widget: Widget;
  title: string;
  /** The first device that it shows; null for none. */
  device: { id: string; name: string } | null;
  /** Keys of that device's datastreams on it. */
  streams: readonly string[];
  period: Period;
  onLarge: (() => void) | undefined;
  /** Undefined where nothing can be changed. */
  onChange: (() => void) | undefined;
  onCopy: (() => void) | undefined;
  onNote: () => void;
  /** Undefined where it is on no dashboard. */
  onShare: (() => void) | undefined;
  onClose: () => void;
}): ReactNode {
  const role = useRead('me').data?.role;
  const act = (what: () => void) => (): void => {
    onClose();
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
  const { from, to } = boundsOf(period, serviceNow());
  return (
    <Menu anchorEl={anchor} open={anchor !== null} onClose={onClose}>
      {onLarge && (
        <MenuItem {...item} onClick={act(onLarge)}>
          Show it large
        </MenuItem>
      )}
      {onChange && (
        <MenuItem {...item} onClick={act(onChange)}>
          Change it
        </MenuItem>
      )}
      {onCopy && (
        <MenuItem {...item} onClick={act(onCopy)}>
          Make a copy
        </MenuItem>
      )}
      {device && !isVisitor && (
        <MenuItem
          {...item}
          component={Link}
          to={`/history?show=${encodeURIComponent(streams.map((stream) => `${device.id}/${stream}`).join())}&period=${period.key}`}
          onClick={onClose}
        >
          Look back at {device.name}
        </MenuItem>
      )}
      {device && !isVisitor && (
        <MenuItem
          {...item}
          component={Link}
          to={`/devices/${encodeURIComponent(device.id)}`}
          onClick={onClose}
        >
          Go to the device
        </MenuItem>
      )}
      {device && streams[0] !== undefined && (role === undefined || mayDo(role, 'change')) && (
        <MenuItem
          {...item}
          component={Link}
          to={`/events/rules/new?device=${encodeURIComponent(device.id)}&stream=${streams[0]}`}
          onClick={onClose}
        >
          Alert me when …
        </MenuItem>
      )}
      {device && (role === undefined || mayDo(role, 'steer')) && (
        <MenuItem {...item} onClick={act(onNote)}>
          Write a note
        </MenuItem>
      )}
      {onShare && role !== undefined && mayDo(role, 'change') && isForVisitors(widget) && (
        <MenuItem {...item} onClick={act(onShare)}>
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
            onClick={onClose}
          >
            {format === 'csv'
              ? `Every reading of ${period.until === null ? `the last ${period.title}` : period.title} as CSV`
              : 'The same as a sheet in local time'}
          </MenuItem>
        ))}
    </Menu>
  );
}
