import { ButtonBase, Menu, MenuItem } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { exportPath } from '@peatmoor/contract';
import type { Period } from '../charts/period';
import { ink } from '../theme';
import type { Source } from './useCatalogue';

/** What can be done with what a widget shows: look back at it, or take it away. */
export function WidgetMenu({
  title,
  sources,
  period,
}: {
  title: string;
  sources: (Source | null)[];
  period: Period;
}): ReactNode {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const device = sources[0]?.device;
  if (device === null || device === undefined) return null;
  const streams = sources.flatMap((source) => (source?.device?.id === device.id ? source.stream.key : []));
  const close = (): void => setAnchor(null);
  const now = Date.now();
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
        <MenuItem
          component={Link}
          to={`/history?device=${encodeURIComponent(device.id)}&period=${period.key}`}
          onClick={close}
          sx={{ minHeight: 44 }}
        >
          Look back at {device.name}
        </MenuItem>
        <MenuItem
          component={Link}
          to={`/devices/${encodeURIComponent(device.id)}`}
          onClick={close}
          sx={{ minHeight: 44 }}
        >
          Go to the device
        </MenuItem>
        {(['csv', 'sheet'] as const).map((format) => (
          <MenuItem
            key={format}
            component="a"
            download
            href={exportPath(device.id, {
              format,
              streams: streams.join(),
              from: now - period.ms,
              to: now,
              zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
            })}
            onClick={close}
            sx={{ minHeight: 44 }}
          >
            {format === 'csv' ? `Take the last ${period.title} as CSV` : 'The same as a sheet in local time'}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
