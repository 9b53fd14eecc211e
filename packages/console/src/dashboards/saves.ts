import { useEffect, useSyncExternalStore } from 'react';
import type { SavedChart } from '../charts/saving';

/** A chart that can be saved as it is seen. */
export interface Savable {
  chart: SavedChart;
  canvas: HTMLCanvasElement | null;
}

/** The charts of the page by the widget they are in, so that a widget's menu can save one or show it as a table. */
const charts = new Map<string, () => Savable>();
const tables = new Set<string>();
const listeners = new Set<() => void>();

export const saves = {
  of: (widget: string): (() => Savable) | undefined => charts.get(widget),
  isTable: (widget: string): boolean => tables.has(widget),
  toggleTable(widget: string): void {
    if (!tables.delete(widget)) tables.add(widget);
    for (const listener of listeners) listener();
  },
};

const subscribe = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

/** Lets the menu of a widget save its chart; tells whether it is to be shown as a table. */
export function useSaving(widget: string, read: () => Savable): { isTable: boolean } {
  useEffect(() => {
    charts.set(widget, read);
    return () => {
      if (charts.get(widget) === read) charts.delete(widget);
    };
  });
  return { isTable: useSyncExternalStore(subscribe, () => tables.has(widget)) };
}
