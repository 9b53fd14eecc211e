import { starterWidgets, storeWidget, type PhonePlace, type Widget } from '@peatmoor/core';
import type { DashboardLook } from '@peatmoor/contract';
import { addTo, changeIn, findAll, listIn, type Store } from '@peatmoor/server';

type Placed = [
  place: [x: number, y: number, w: number, h: number],
  widget: Partial<Widget> & Pick<Widget, 'type'>,
];

/** A widget of one or more datastreams of named devices: `dipwell-north/water_level`. */
const of = (
  type: Widget['type'],
  title: string,
  sources: string[],
  options: Widget['options'] = {},
): Partial<Widget> & Pick<Widget, 'type'> => ({
  type,
  title,
  sources: sources.map((source) => {
    const [device, stream] = source.split('/') as [string, string];
    return { device, stream };
  }),
  options,
});

const LEVELS = ['dipwell-north/water_level', 'dipwell-bridge/water_level', 'dipwell-south/water_level'];

const WET = '..-400 dry: wrong, -400..-300 drying: look, -300..-50 wet, -50.. flooded: look';
const ABOVE = '..600 low: look, 600..900 good, 900.. high: wrong';

/** The whole moss on a wall: all of it at one look, and a second page of what moves about. */
const MOSS: Placed[] = [
  [[0, 0, 2, 4], of('gauge', 'North', [LEVELS[0]!], { zones: WET })],
  [[2, 0, 2, 4], of('gauge', 'At the bridge', [LEVELS[1]!], { zones: WET })],
  [[4, 0, 2, 4], of('gauge', 'South', [LEVELS[2]!], { zones: WET })],
  [[6, 0, 6, 4], of('chart', 'Water in the peat', LEVELS)],
  [[0, 4, 2, 2], of('value', 'Rain today', ['rain-hut/rain_day'])],
  [[2, 4, 2, 2], of('value', 'Peat, north', ['dipwell-north/peat_temperature'], { change: '24 h' })],
  [[4, 4, 2, 2], of('value', 'Visitors today', ['footbridge/visitors_day'])],
  [[6, 4, 2, 2], of('value', 'Above the sluice', ['sluice-mill/upstream_level'], { change: '1 h' })],
  [[8, 4, 2, 2], of('lamp', 'Gate motor', ['sluice-mill/motor'], { on: 'running', off: 'at rest' })],
  [[10, 4, 2, 2], { type: 'clock' }],
  [[0, 6, 4, 3], of('bars', 'Rain of each day', ['rain-hut/rain'], { shows: 'sum', bars: 14 })],
  [[4, 6, 4, 3], of('heat', 'Visitors by the hour', ['footbridge/visitors'], { shows: 'sum', days: 7 })],
  [[8, 6, 4, 3], { type: 'events', title: 'Events of the moss' }],
  [[0, 0, 6, 6], { ...of('track', 'Bracken’s way', ['pony-bracken/place']), page: 1 }],
  [[6, 0, 6, 6], { ...of('pictures', 'By the alder', ['camera-alder/picture']), page: 1 }],
  [[0, 6, 3, 3], { ...of('device', '', ['hut-gateway/radio_signal']), page: 1 }],
  [[3, 6, 3, 3], { ...of('device', '', ['camera-alder/picture']), page: 1 }],
  [
    [6, 6, 6, 3],
    {
      type: 'text',
      title: 'Who looks after what',
      page: 1,
      options: {
        words:
          '**Warden** walks the dipwells every second week.\n\n- Sluice: only from the hut\n- Camera: new batteries in May\n- Bracken is **not** to be fed',
      },
    },
  ],
];

/** Where the sluice is steered from. */
const SLUICE: Placed[] = [
  [
    [0, 0, 2, 5],
    of('gauge', 'Above the gate', ['sluice-mill/upstream_level'], { shape: 'tank', zones: ABOVE }),
  ],
  [
    [2, 0, 3, 3],
    of('gauge', 'Gate is open', ['sluice-mill/opening'], { shape: 'arc', step: 25, target: 40 }),
  ],
  [[2, 3, 3, 2], of('lamp', 'Motor', ['sluice-mill/motor'], { on: 'running', off: 'at rest' })],
  [
    [5, 0, 7, 5],
    of('chart', 'Water and gate', ['sluice-mill/upstream_level', 'sluice-mill/opening'], { zones: ABOVE }),
  ],
  [[0, 5, 4, 2], of('slider', 'Opening wanted', ['sluice-mill/opening_wanted'], { step: 5 })],
  [[4, 5, 2, 2], of('switch', 'By itself', ['sluice-mill/automatic'])],
  [[6, 5, 2, 2], of('button', 'Warn with the horn', ['sluice-mill/horn'])],
  [[8, 5, 4, 2], of('timetable', 'Night and day', ['sluice-mill/opening_wanted'])],
  [
    [0, 7, 8, 4],
    of('sheet', 'Newest readings', [
      'sluice-mill/upstream_level',
      'sluice-mill/opening',
      'sluice-mill/motor',
    ]),
  ],
  [[8, 7, 4, 4], { type: 'events', title: 'Events' }],
];

const half: PhonePlace = { width: 'half', height: 210 };
/** What a volunteer looks at on the way. */
const POCKET: Placed[] = [
  [[0, 0, 3, 3], { ...of('gauge', 'North', [LEVELS[0]!], { shape: 'arc', zones: WET }), phone: half }],
  [[3, 0, 3, 3], { ...of('gauge', 'South', [LEVELS[2]!], { shape: 'arc', zones: WET }), phone: half }],
  [[6, 0, 3, 3], of('switch', 'Sluice by itself', ['sluice-mill/automatic'])],
  [[9, 0, 3, 3], of('value', 'Above the sluice', ['sluice-mill/upstream_level'], { change: '1 h' })],
  [[0, 3, 12, 4], { ...of('chart', 'Water in the peat', LEVELS), phone: { height: 240 } }],
  [[0, 7, 6, 4], { type: 'events', title: 'Events', options: { only: 'open' } }],
  [[6, 7, 3, 2], { type: 'link', options: { words: 'To the sluice', address: '/dashboards/2' } }],
];

/** The dashboards of the moss: of named devices, the second the sluice's own; and one for each kind. */
export async function addDashboards(store: Store, workspaceId: number, sluiceKindId: number): Promise<void> {
  const add = async (
    title: string,
    placed: Placed[],
    look: Partial<DashboardLook>,
    kindId: number | null = null,
  ): Promise<number> => {
    const widgets = placed.map(([[x, y, w, h], widget], i): Widget => ({
      id: `w${i + 1}`,
      title: '',
      sources: [],
      options: {},
      ...widget,
      x,
      y,
      w,
      h,
    }));
    const dashboard = await addTo(store.models.dashboards, workspaceId, {
      title,
      kindId,
      version: 1,
      changedBy: 'Warden',
      changedAt: Date.now(),
      widgets: widgets.map(storeWidget),
      look,
    });
    return dashboard.id;
  };
  await add('The moss', MOSS, {
    icon: 'leaf',
    colour: 'moss',
    labels: ['wall'],
    pages: ['Water', 'Out and about'],
  });
  const sluiceDashboard = await add('The sluice', SLUICE, {
    icon: 'gate',
    colour: 'pool',
    labels: ['steer'],
  });
  await add('In the pocket', POCKET, { icon: 'drop', colour: 'heather', labels: ['phone'] });
  const [sluice] = await findAll(store.models.devices, { where: { workspaceId, kindId: sluiceKindId } });
  await changeIn(
    store.models.devices,
    workspaceId,
    { rowId: sluice!.rowId },
    { dashboardId: sluiceDashboard },
  );
  for (const { id, title, icon } of await listIn(store.models.kinds, workspaceId, { order: ['id'] })) {
    const streams = await listIn(store.models.streams, workspaceId, { where: { kindId: id }, order: ['id'] });
    const placed = starterWidgets(streams, null).map(({ x, y, w, h, ...widget }): Placed => [
      [x, y, w, h],
      widget,
    ]);
    await add(
      `Any ${title.toLowerCase()}`,
      placed,
      { icon: icon as DashboardLook['icon'], labels: ['kind'] },
      id,
    );
  }
}
