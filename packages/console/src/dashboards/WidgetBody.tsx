import { Box } from '@mui/material';
import { Suspense, useDeferredValue, type ReactNode } from 'react';
import { WIDGETS, type Widget } from '@peatmoor/core';
import type { Period } from '../charts/period';
import { WidgetBoundary } from '../parts/Boundary';
import { ink } from '../theme';
import type { Source } from './useCatalogue';
import { DRAWN } from './widgets';

interface WidgetBodyProps {
  widget: Widget;
  sources: (Source | null)[];
  period: Period;
  onPeriod: (period: Period) => void;
  editing: boolean;
}

/** What a widget shows, by its type; some types are a file of their own. */
export function WidgetBody(props: WidgetBodyProps): ReactNode {
  return (
    <WidgetBoundary>
      <Suspense>
        <Drawn {...props} />
      </Suspense>
    </WidgetBoundary>
  );
}

function Drawn({ widget, sources, period, onPeriod, editing }: WidgetBodyProps): ReactNode {
  const { Body } = DRAWN[widget.type];
  // The frames stand at once; what is in them is drawn in slices, so that the page answers meanwhile.
  const drawn = useDeferredValue(true, false);
  if (!drawn) return null;
  // Without a source there is nothing that could be gone.
  if (WIDGETS[widget.type].mostSources === 0)
    return (
      <Body
        widget={widget}
        sources={[] as never}
        all={[]}
        period={period}
        onPeriod={onPeriod}
        editing={editing}
      />
    );
  const [first, ...more] = sources.filter((source) => source !== null);
  if (first === undefined)
    return (
      <Box sx={{ color: ink.rowan, fontSize: '0.9rem' }}>
        Its device or datastream “{widget.sources[0]?.stream}” is gone. Choose another, or remove the widget.
      </Box>
    );
  return (
    <Body
      widget={widget}
      sources={[first, ...more]}
      all={sources}
      period={period}
      onPeriod={onPeriod}
      editing={editing}
    />
  );
}
