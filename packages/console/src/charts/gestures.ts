import type uPlot from 'uplot';
import { chartView } from './view';

export interface Bounds {
  from: number;
  to: number;
}

interface Parts {
  chart: uPlot;
  element: HTMLElement;
  /** What is shown now, epoch ms. */
  bounds: () => Bounds;
  /** Called once a movement has come to its end; null goes back to now. */
  onMoved: (bounds: Bounds | null) => void;
}

/** How far a pointer goes before it moves the chart instead of pressing on it, in px. */
const SLOP_PX = 5;
/** How long after the last turn of a wheel or press of a key a movement is over, in ms. */
const SETTLE_MS = 250;
const SHORTEST_MS = 1000;
const LONGEST_MS = 3650 * 86_400_000;

/** A period made longer or shorter around a place, 0 at its start and 1 at its end; no longer than what is kept. */
export function zoomed({ from, to }: Bounds, by: number, place: number): Bounds {
  const ms = Math.min(LONGEST_MS, Math.max(SHORTEST_MS, (to - from) * by));
  const at = from + (to - from) * place;
  return { from: at - ms * place, to: at + ms * (1 - place) };
}

export function shifted({ from, to }: Bounds, part: number): Bounds {
  const by = (to - from) * part;
  return { from: from + by, to: to + by };
}

/**
 * Moves a chart by mouse, wheel, touch and keyboard: drag to move it, Shift and drag to choose a part, Ctrl and the wheel or two
 * fingers to make it wider; arrows, + and −, Home for now, M for a marker. The wheel alone scrolls the page, as everywhere.
 * Returns how to end it.
 */
export function listenToGestures({ chart, element, bounds, onMoved }: Parts): () => void {
  const over = chart.over;
  let timer = 0;
  const show = (next: Bounds): void => chartView.move(next);
  const settle = (ms = SETTLE_MS): void => {
    clearTimeout(timer);
    timer = window.setTimeout(() => {
      const { moving } = chartView.now();
      if (moving !== null) onMoved(moving);
    }, ms);
  };
  const now = (): Bounds => chartView.now().moving ?? bounds();
  const placeOf = (clientX: number): number => {
    const { left, width } = over.getBoundingClientRect();
    return width === 0 ? 0.5 : Math.min(1, Math.max(0, (clientX - left) / width));
  };
  const timeAt = (place: number): number => {
    const { from, to } = now();
    return from + (to - from) * place;
  };

  const pointers = new Map<number, number>();
  let start: { bounds: Bounds; place: number; x: number; choosing: boolean } | null = null;
  let moved = false;
  let pinch: { bounds: Bounds; distance: number; place: number } | null = null;
  const spread = (): number => {
    const [a = 0, b = 0] = [...pointers.values()];
    return Math.max(20, Math.abs(a - b));
  };
  const down = (event: PointerEvent): void => {
    if (event.button !== 0) return;
    pointers.set(event.pointerId, event.clientX);
    over.setPointerCapture(event.pointerId);
    if (pointers.size === 2) {
      const [a = 0, b = 0] = [...pointers.values()];
      pinch = { bounds: now(), distance: spread(), place: placeOf((a + b) / 2) };
      return;
    }
    moved = false;
    start = { bounds: now(), place: placeOf(event.clientX), x: event.clientX, choosing: event.shiftKey };
  };
  const move = (event: PointerEvent): void => {
    if (!pointers.has(event.pointerId)) return;
    pointers.set(event.pointerId, event.clientX);
    if (pinch !== null && pointers.size === 2) {
      moved = true;
      return show(zoomed(pinch.bounds, pinch.distance / spread(), pinch.place));
    }
    if (start === null || (!moved && Math.abs(event.clientX - start.x) < SLOP_PX)) return;
    moved = true;
    if (start.choosing) return choose(start.place, placeOf(event.clientX));
    show(shifted(start.bounds, start.place - placeOfUnbounded(event.clientX)));
  };
  const placeOfUnbounded = (clientX: number): number => {
    const { left, width } = over.getBoundingClientRect();
    return width === 0 ? 0.5 : (clientX - left) / width;
  };
  const choose = (a: number, b: number): void => {
    const width = over.clientWidth;
    chart.setSelect(
      { left: Math.min(a, b) * width, width: Math.abs(a - b) * width, top: 0, height: over.clientHeight },
      false,
    );
  };
  const up = (event: PointerEvent): void => {
    if (!pointers.delete(event.pointerId)) return;
    if (pointers.size > 0) return;
    pinch = null;
    const began = start;
    start = null;
    if (began === null) return;
    if (!moved) return chartView.mark(timeAt(placeOf(event.clientX)));
    if (began.choosing) {
      const [a, b] = [began.place, placeOf(event.clientX)].sort((one, other) => one - other) as [
        number,
        number,
      ];
      chart.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
      const { from, to } = began.bounds;
      if (b - a > 0.005) show({ from: from + (to - from) * a, to: from + (to - from) * b });
    }
    settle(0);
  };
  const wheel = (event: WheelEvent): void => {
    if (!event.ctrlKey && !event.metaKey) {
      // A sideways wheel moves it.
      if (Math.abs(event.deltaX) <= Math.abs(event.deltaY)) return;
      event.preventDefault();
      show(shifted(now(), event.deltaX / Math.max(1, over.clientWidth)));
      return settle();
    }
    event.preventDefault();
    show(zoomed(now(), Math.exp(Math.max(-1, Math.min(1, event.deltaY / 240))), placeOf(event.clientX)));
    settle();
  };
  const key = (event: KeyboardEvent): void => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const step = event.shiftKey ? 0.5 : 0.1;
    const cursor = chart.cursor.left ?? -1;
    const place = cursor < 0 ? 0.5 : cursor / Math.max(1, over.clientWidth);
    switch (event.key) {
      case 'ArrowLeft':
        show(shifted(now(), -step));
        break;
      case 'ArrowRight':
        show(shifted(now(), step));
        break;
      case '+':
      case '=':
        show(zoomed(now(), 0.7, place));
        break;
      case '-':
        show(zoomed(now(), 1 / 0.7, place));
        break;
      case 'Home':
        event.preventDefault();
        chartView.move(null);
        return onMoved(null);
      case 'm':
      case 'M':
        return chartView.mark(timeAt(place));
      default:
        return;
    }
    event.preventDefault();
    settle();
  };
  const back = (): void => {
    chartView.unmark();
    chartView.move(null);
    onMoved(null);
  };
  over.style.touchAction = 'pan-y';
  over.addEventListener('pointerdown', down);
  over.addEventListener('pointermove', move);
  over.addEventListener('pointerup', up);
  over.addEventListener('pointercancel', up);
  over.addEventListener('wheel', wheel, { passive: false });
  over.addEventListener('dblclick', back);
  element.addEventListener('keydown', key);
  return () => {
    clearTimeout(timer);
    over.removeEventListener('pointerdown', down);
    over.removeEventListener('pointermove', move);
    over.removeEventListener('pointerup', up);
    over.removeEventListener('pointercancel', up);
    over.removeEventListener('wheel', wheel);
    over.removeEventListener('dblclick', back);
    element.removeEventListener('keydown', key);
  };
}
