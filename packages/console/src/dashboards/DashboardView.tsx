import { Box, Typography, useMediaQuery } from '@mui/material';
import { Suspense, useState, type ReactNode } from 'react';
import type { Place, Widget } from '@peatmoor/core';
import type { Device } from '@peatmoor/contract';
import type { Period } from '../charts/period';
import { later } from '../parts/later';
import { ink } from '../theme';
import { PhoneColumn } from './PhoneColumn';
import type { Shown } from './shown';
import type { Catalogue } from './useCatalogue';
import { ROW_GAP_PX } from './grid';
import { WideGrid } from './WideGrid';
import { WidgetFrame, type Arranging } from './WidgetFrame';
import type { WidgetTools } from './WidgetMenu';

// What moves widgets about is fetched when somebody does.
const Large = later(() => import('./Large'), 'Large');
const EditGrid = later(() => import('./EditGrid'), 'EditGrid');

/** What changes the widgets of a dashboard while it is arranged. */
export interface Arranger {
  change: (change: (widgets: Widget[]) => Widget[]) => void;
  of: (widget: Widget) => Arranging;
}

/** The widgets of one page of a dashboard: on the wide arrangement, on the phone's, or side by side for several devices. */
export function DashboardView({
  widgets,
  devices,
  catalogue,
  period,
  onPeriod,
  arranger,
  toolsOf,
  asPhone = false,
  heightPx,
}: {
  widgets: Widget[];
  /** The chosen device, or several. */
  devices: Device[];
  catalogue: Catalogue;
  period: Period;
  onPeriod: (period: Period) => void;
  arranger: Arranger | null;
  /** How a widget is changed from its menu; not given where whoever looks may not. */
  toolsOf?: ((widget: Widget) => WidgetTools) | undefined;
  /** Shows the phone arrangement on a wide page. */
  asPhone?: boolean;
  /** The height that all of it is to fill, where it is on a wall, in px. */
  heightPx?: number;
}): ReactNode {
  const phone = useMediaQuery('(max-width: 719px)');
  const [large, setLarge] = useState<{ widget: Widget; device: string | null } | null>(null);
  const shownOf =
    (device: string | null) =>
    (widget: Widget): Shown =>
      widget.sources.map((source) => catalogue.find(source, device));
  const frame =
    (device: string | null, isWide: boolean) =>
    (widget: Widget): ReactNode => {
      const arranging = arranger?.of(widget) ?? null;
      const { onShift: _onShift, ...tools } = arranging ?? {};
      return (
        <WidgetFrame
          widget={widget}
          sources={shownOf(device)(widget)}
          period={period}
          onPeriod={onPeriod}
          arranging={arranging === null ? null : isWide ? arranging : (tools as Arranging)}
          onLarge={() => setLarge({ widget, device })}
          tools={toolsOf?.(widget)}
        />
      );
    };
  const move = (places: Map<string, Place>): void =>
    arranger?.change((all) => all.map((widget) => ({ ...widget, ...places.get(widget.id) })));
  const column = (device: string | null): ReactNode => (
    <PhoneColumn
      widgets={widgets}
      shown={shownOf(device)}
      onChange={arranger?.change}
      render={frame(device, false)}
    />
  );
  const chosen = devices[0]?.id ?? null;
  const wide =
    arranger === null ? (
      <WideGrid
        widgets={widgets}
        render={frame(chosen, true)}
        {...(heightPx !== undefined && { rowPx: fittingRow(widgets, heightPx) })}
      />
    ) : (
      <Suspense>
        <EditGrid widgets={widgets} onMove={move} render={frame(chosen, true)} />
      </Suspense>
    );
  return (
    <>
      {devices.length > 1 ? (
        <Box
          sx={{
            display: 'grid',
            gap: 4,
            gridTemplateColumns: { xs: '1fr', md: `repeat(${devices.length}, minmax(0, 1fr))` },
          }}
        >
          {devices.map(({ id, name }) => (
            <Box key={id} data-beside={id}>
              <Typography variant="h2" sx={{ mb: 2 }}>
                {name}
              </Typography>
              {column(id)}
            </Box>
          ))}
        </Box>
      ) : phone ? (
        column(chosen)
      ) : asPhone ? (
        <Box
          sx={{
            width: 390,
            mx: 'auto',
            border: `1px solid ${ink.ink}`,
            borderRadius: 4,
            px: 2,
            py: 3,
            '& .MuiButton-root': { whiteSpace: 'normal' },
          }}
        >
          {column(chosen)}
        </Box>
      ) : (
        wide
      )}
      {large && (
        <Suspense>
          <Large
            widget={large.widget}
            sources={shownOf(large.device)(large.widget)}
            period={period}
            onPeriod={onPeriod}
            onClose={() => setLarge(null)}
          />
        </Suspense>
      )}
    </>
  );
}

/** Rows are never lower or higher than this, in px: what does not fit then is scrolled to. */
const ROW_BOUNDS = [36, 110] as const;

/** The height of a row with which all widgets fill a height. */
function fittingRow(widgets: readonly Widget[], heightPx: number): number {
  const rows = Math.max(1, ...widgets.map(({ y, h }) => y + h));
  return Math.min(ROW_BOUNDS[1], Math.max(ROW_BOUNDS[0], heightPx / rows - ROW_GAP_PX));
}
