import type { ComponentType } from 'react';
import type { Widget } from '@peatmoor/core';
import type { Period } from '../../charts/period';
import type { Source } from '../useCatalogue';

/** What a widget is drawn from: at least one source that is known. */
export interface WidgetProps {
  widget: Widget;
  sources: [Source, ...Source[]];
  /** All its sources by their places; null for one that is gone, or not shown to whoever looks. */
  all: readonly (Source | null)[];
  period: Period;
  /** Chooses another period for the whole page. */
  onPeriod: (period: Period) => void;
  /** While the dashboard is arranged: nothing is steered. */
  editing: boolean;
}

/** How a sort of widget is drawn. */
export interface DrawnWidget {
  Body: ComponentType<WidgetProps>;
  /** Height on a phone, in px. */
  phoneHeight: number;
}
