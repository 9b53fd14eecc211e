import type { KindIn } from '@peatmoor/contract';

/** The device kinds of Quillmere Moss, as a maker would declare them. */
export const QUILLMERE_KINDS = {
  dipwell: {
    title: 'Dipwell',
    intervalS: 10,
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
      },
      {
        key: 'battery',
        title: 'Battery',
        type: 'number',
        unit: 'V',
        min: 2.8,
        max: 4.3,
        decimals: 2,
        pin: 3,
      },
    ],
  },
  sluice: {
    title: 'Sluice',
    intervalS: 5,
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
      },
      { key: 'motor', title: 'Motor running', type: 'boolean', pin: 4 },
      { key: 'automatic', title: 'Automatic', type: 'boolean', direction: 'both', pin: 5 },
      { key: 'horn', title: 'Horn', type: 'boolean', direction: 'control', pin: 6 },
    ],
  },
  rainMeter: {
    title: 'Rain meter',
    intervalS: 20,
    streams: [
      { key: 'rain', title: 'Rain', type: 'number', unit: 'mm', min: 0, max: 20, decimals: 1, pin: 1 },
      {
        key: 'tips',
        title: 'Tips of the bucket',
        type: 'integer',
        unit: 'count',
        min: 0,
        max: 1_000_000_000,
        pin: 2,
      },
      {
        key: 'battery',
        title: 'Battery',
        type: 'number',
        unit: 'V',
        min: 2.8,
        max: 4.3,
        decimals: 2,
        pin: 3,
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
}[] = [
  { id: 'dipwell-north', name: 'Dipwell North', kind: 'dipwell', via: 'mqtt', seed: 11 },
  { id: 'dipwell-bridge', name: 'Dipwell at the bridge', kind: 'dipwell', via: 'http', seed: 23 },
  { id: 'dipwell-south', name: 'Dipwell South', kind: 'dipwell', via: 'mqtt', seed: 37 },
  { id: 'sluice-mill', name: 'Mill ditch sluice', kind: 'sluice', via: 'mqtt', seed: 5 },
  { id: 'rain-hut', name: 'Rain meter at the hut', kind: 'rainMeter', via: 'http', seed: 3 },
];
