import type { KindIn } from '@peatmoor/contract';

const BATTERY = {
  key: 'battery',
  title: 'Battery',
  type: 'number',
  unit: 'V',
  min: 2.8,
  max: 4.3,
  decimals: 2,
  pin: 3,
  part: 'battery',
  boardPin: 'GPIO 35',
} as const;

/** The device kinds of Quillmere Moss, as a maker would declare them. */
export const QUILLMERE_KINDS = {
  dipwell: {
    title: 'Dipwell',
    intervalS: 10,
    board: 'wifi-cpp',
    icon: 'drop',
    notes: 'A water-level tube in the peat. Level in mm against the ground: below it is negative.',
    streams: [
      {
        key: 'water_level',
        title: 'Water level',
        type: 'number',
        unit: 'mm',
        min: -800,
        max: 100,
        decimals: 0,
        pin: 1,
      },
      {
        key: 'peat_temperature',
        title: 'Peat temperature',
        type: 'number',
        unit: 'Cel',
        min: -10,
        max: 30,
        decimals: 1,
        pin: 2,
        part: 'thermistor',
        boardPin: 'GPIO 34',
      },
      BATTERY,
    ],
  },
  sluice: {
    title: 'Sluice',
    intervalS: 5,
    board: 'wifi-cpp',
    icon: 'gate',
    streams: [
      {
        key: 'upstream_level',
        title: 'Upstream level',
        type: 'number',
        unit: 'mm',
        min: 0,
        max: 1200,
        decimals: 0,
        pin: 1,
      },
      { key: 'opening', title: 'Opening', type: 'number', unit: '%', min: 0, max: 100, decimals: 0, pin: 2 },
      {
        key: 'opening_wanted',
        title: 'Opening wanted',
        type: 'number',
        unit: '%',
        min: 0,
        max: 100,
        decimals: 0,
        direction: 'control',
        pin: 3,
        // A gate that a branch holds is noticed: what is measured must come to what is wanted.
        follow: { stream: 'opening', way: 'same', withinS: 60, tolerance: 3, steps: [] },
        // It can hurt who stands below, and is closed where nobody can say any more that it shall be open.
        asks: true,
        withoutLink: { afterS: 300, value: '0' },
      },
      { key: 'motor', title: 'Motor running', type: 'boolean', pin: 4 },
      { key: 'automatic', title: 'Automatic', type: 'boolean', direction: 'both', pin: 5 },
      {
        key: 'horn',
        title: 'Horn',
        type: 'boolean',
        direction: 'control',
        pin: 6,
        // Pressed, it sounds once, and not when somebody has stood under the gate meanwhile.
        holds: 'momentary',
        timeLimitS: 10,
        asks: true,
      },
    ],
  },
  rainMeter: {
    title: 'Rain meter',
    intervalS: 20,
    board: 'micropython',
    icon: 'rain',
    streams: [
      {
        key: 'rain',
        title: 'Rain',
        type: 'number',
        unit: 'mm',
        min: 0,
        max: 20,
        decimals: 1,
        pin: 1,
        part: 'rain-tipper',
        boardPin: 'GPIO 27',
      },
      {
        key: 'tips',
        title: 'Tips of the bucket',
        type: 'integer',
        unit: 'count',
        min: 0,
        max: 1_000_000_000,
        pin: 2,
      },
      BATTERY,
      {
        key: 'rain_hour',
        title: 'Rain this hour',
        type: 'number',
        unit: 'mm',
        decimals: 1,
        computation: { form: 'sum', of: 'rain', restarts: 'hour', zone: 'UTC' },
      },
      {
        key: 'rain_day',
        title: 'Rain today',
        type: 'number',
        unit: 'mm',
        decimals: 1,
        computation: { form: 'sum', of: 'rain', restarts: 'day', zone: 'UTC' },
      },
    ],
  },
  footbridge: {
    title: 'Footbridge',
    intervalS: 30,
    board: 'small-computer',
    icon: 'bridge',
    streams: [
      { key: 'visitors', title: 'Visitors', type: 'integer', unit: 'count', min: 0, max: 500, pin: 1 },
      BATTERY,
      {
        key: 'visitors_day',
        title: 'Visitors today',
        type: 'integer',
        unit: 'count',
        computation: { form: 'sum', of: 'visitors', restarts: 'day', zone: 'UTC' },
      },
    ],
  },
  trailCamera: {
    title: 'Trail camera',
    intervalS: 120,
    board: 'small-computer',
    icon: 'camera',
    streams: [
      { key: 'picture', title: 'Picture', type: 'image', keepDays: 30 },
      {
        key: 'interval',
        title: 'A picture every',
        type: 'integer',
        unit: 's',
        min: 20,
        max: 3600,
        direction: 'control',
      },
      BATTERY,
    ],
  },
  collar: {
    title: 'Pony collar',
    intervalS: 60,
    board: 'cellular-cpp',
    icon: 'collar',
    streams: [{ key: 'place', title: 'Where', type: 'location' }, BATTERY],
  },
  hutGateway: {
    title: 'Hut gateway',
    intervalS: 30,
    board: 'small-computer',
    icon: 'antenna',
    streams: [
      { key: 'radio_signal', title: 'Radio signal', type: 'integer', unit: 'dBm', min: -120, max: 0 },
      {
        key: 'hut_temperature',
        title: 'In the hut',
        type: 'number',
        unit: 'Cel',
        min: -20,
        max: 40,
        decimals: 1,
      },
    ],
  },
} as const satisfies Record<string, KindIn>;

export type QuillmereKind = keyof typeof QUILLMERE_KINDS;

/** The devices out on the moss, and how each reaches the service. */
export const QUILLMERE_DEVICES: {
  id: string;
  name: string;
  kind: QuillmereKind;
  via: 'mqtt' | 'http';
  seed: number;
  labels?: string[];
  /** The gateway that reports for it, and the text by which it calls it. */
  gateway?: string;
  serial?: string;
}[] = [
  { labels: ['moss'], id: 'dipwell-north', name: 'Dipwell North', kind: 'dipwell', via: 'mqtt', seed: 11 },
  {
    labels: ['moss'],
    id: 'dipwell-bridge',
    name: 'Dipwell at the bridge',
    kind: 'dipwell',
    via: 'http',
    seed: 23,
  },
  { labels: ['moss'], id: 'dipwell-south', name: 'Dipwell South', kind: 'dipwell', via: 'mqtt', seed: 37 },
  { id: 'sluice-mill', name: 'Mill ditch sluice', kind: 'sluice', via: 'mqtt', seed: 5 },
  { id: 'rain-hut', name: 'Rain meter at the hut', kind: 'rainMeter', via: 'http', seed: 3 },
  { id: 'footbridge', name: 'Boardwalk footbridge', kind: 'footbridge', via: 'http', seed: 41 },
  { id: 'camera-alder', name: 'Camera by the alder', kind: 'trailCamera', via: 'http', seed: 43 },
  { id: 'pony-bracken', name: 'Bracken, the grey pony', kind: 'collar', via: 'mqtt', seed: 47 },
  { id: 'hut-gateway', name: 'Gateway in the hut', kind: 'hutGateway', via: 'mqtt', seed: 53 },
  {
    id: 'well-7',
    name: 'Radio dipwell 7',
    kind: 'dipwell',
    via: 'mqtt',
    seed: 61,
    gateway: 'hut-gateway',
    serial: 'A0-7F',
  },
  {
    id: 'well-9',
    name: 'Radio dipwell 9',
    kind: 'dipwell',
    via: 'mqtt',
    seed: 67,
    gateway: 'hut-gateway',
    serial: 'A0-9C',
  },
];
