import type { Widget } from './catalogue';
import { WIDGETS, type OptionValue, type WidgetType } from './widgets';

/** A widget as it is stored: with the version of its sort's options. */
export type StoredWidget = Omit<Widget, 'options'> & {
  version: number;
  options: Record<string, OptionValue>;
};

/** What is kept of a widget. */
export function storeWidget(widget: Widget): StoredWidget {
  return { ...widget, version: WIDGETS[widget.type].version };
}

/**
 * Reads a stored widget of any version: what earlier ones stored is brought up to date. Null for a sort that is not known
 * here, as a later version of the service may have made it.
 */
export function readWidget(stored: unknown): Widget | null {
  const { version = 0, ...rest } = stored as StoredWidget & { version?: number };
  if (!Object.hasOwn(WIDGETS, rest.type)) return null;
  const widget = version === 0 ? fromFirst(rest) : rest;
  const sort = WIDGETS[widget.type];
  const options =
    version < sort.version && version > 0
      ? ((sort.upgrade?.({ ...widget.options }, version) ?? widget.options) as Widget['options'])
      : widget.options;
  return { ...widget, options };
}

/** Until 0.2 every widget had its scale beside its place, whether it showed one or not. */
function fromFirst(stored: Omit<StoredWidget, 'version'>): Widget {
  const {
    min = null,
    max = null,
    ...widget
  } = stored as Omit<StoredWidget, 'version' | 'options'> & {
    min?: number | null;
    max?: number | null;
  };
  const scaled = Object.hasOwn(WIDGETS[widget.type as WidgetType].options, 'min');
  return {
    ...widget,
    options: scaled ? { ...(min !== null && { min }), ...(max !== null && { max }) } : {},
  };
}
