import { WIDGETS, type Widget, type WidgetSource } from '../dashboards';
import { counted } from '../words';

/** A dashboard as far as it says what it shows. */
export interface ShownBoard {
  kindId: number | null;
  forLabel?: string | null;
  widgets: readonly Pick<Widget, 'id' | 'type' | 'sources'>[];
}
/** A device as far as it can be shown by a dashboard. */
export interface ShownDevice {
  id: string;
  kindId: number;
  labels: readonly string[];
  streams: readonly { key: string; aliases: readonly string[] }[];
}
/** A datastream of a device, by its key. */
export interface ShownStream {
  device: string;
  stream: string;
}

/** True for a widget that a visitor may be shown: one that steers nothing, and tells nothing of the workspace's own doings. */
export function isForVisitors({ type }: Pick<Widget, 'type'>): boolean {
  const sort = WIDGETS[type];
  return !sort.controls && sort.inside !== true;
}

/** Devices that can be chosen where a dashboard shows "the chosen device". */
export function chosenAmong<D extends Pick<ShownDevice, 'kindId' | 'labels'>>(
  { kindId, forLabel = null }: Pick<ShownBoard, 'kindId' | 'forLabel'>,
  devices: readonly D[],
): D[] {
  return forLabel !== null && forLabel !== ''
    ? devices.filter(({ labels }) => labels.includes(forLabel))
    : kindId === null
      ? []
      : devices.filter((device) => device.kindId === kindId);
}

/**
 * The datastreams that some widgets of a dashboard show, each once, in the order of the widgets. Where they show the chosen
 * device, those of every device that can be chosen, or of the one that `only` names. Sources that are gone are passed over.
 */
export function shownStreams(
  board: ShownBoard,
  devices: readonly ShownDevice[],
  {
    only = null,
    counts = isForVisitors,
  }: { only?: string | null; counts?: (widget: Widget) => boolean } = {},
): ShownStream[] {
  const among = chosenAmong(board, devices).filter(({ id }) => only === null || id === only);
  const found = new Map<string, ShownStream>();
  const add = (device: ShownDevice | undefined, { stream }: WidgetSource): void => {
    const known = device?.streams.find(({ key, aliases }) => key === stream || aliases.includes(stream));
    if (device === undefined || known === undefined) return;
    found.set(`${device.id} ${known.key}`, { device: device.id, stream: known.key });
  };
  for (const widget of board.widgets.filter((one) => counts(one as Widget)))
    for (const source of widget.sources)
      if (source.device === null) for (const device of among) add(device, source);
      else
        add(
          devices.find(({ id }) => id === source.device),
          source,
        );
  return [...found.values()];
}

/** What a visitor will see, in a sentence: "7 datastreams of 3 devices, 30 days back; no controls, no names of people." */
export function sayShown(shown: readonly ShownStream[], backMs: number | null): string {
  const devices = new Set(shown.map(({ device }) => device)).size;
  const back =
    backMs === null
      ? 'as far back as there are readings'
      : backMs < 48 * HOUR
        ? `${counted(Math.round(backMs / HOUR), 'hour', 'hours')} back`
        : `${counted(Math.round(backMs / (24 * HOUR)), 'day', 'days')} back`;
  return `${counted(shown.length, 'datastream', 'datastreams')} of ${counted(devices, 'device', 'devices')}, ${back}; no controls, no names of people.`;
}
const HOUR = 3_600_000;
