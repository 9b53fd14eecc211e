/** What all charts of a page share beside the period: where they are moved to just now, and the two markers. */
export interface ChartView {
  /** Bounds while a chart is moved or made wider, epoch ms; null while none is. */
  moving: { from: number; to: number } | null;
  /** Two times between which is measured, epoch ms, in the order in which they were set. */
  markers: readonly number[];
}

let view: ChartView = { moving: null, markers: [] };
const listeners = new Set<() => void>();

function set(change: Partial<ChartView>): void {
  view = { ...view, ...change };
  for (const listener of listeners) listener();
}

export const chartView = {
  subscribe: (listener: () => void): (() => void) => {
    listeners.add(listener);
    return () => listeners.delete(listener);
  },
  now: (): ChartView => view,
  move: (moving: ChartView['moving']): void => set({ moving }),
  /** The first sets one marker, the second the other, the third takes both away. */
  mark: (at: number): void => set({ markers: view.markers.length === 2 ? [] : [...view.markers, at] }),
  unmark: (): void => set({ markers: [] }),
};
