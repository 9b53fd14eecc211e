import { WIDGETS, type Widget } from '@peatmoor/core';
import type { Source } from './useCatalogue';

/** What a widget shows: a source each, null for one that is gone. */
export type Shown = (Source | null)[];

/** The title over a widget: its own, else that of what it shows. */
export function titleOf(widget: Widget, shown: Shown): string {
  const { about } = WIDGETS[widget.type];
  if (about === 'device' && widget.title === '') return shown[0]?.device?.name ?? 'The chosen device';
  return widget.title || (shown[0]?.stream.title ?? widget.sources[0]?.stream ?? WIDGETS[widget.type].title);
}
