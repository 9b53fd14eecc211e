import { storeWidget, type Widget } from '@peatmoor/core';
import { addTo, changeIn, findAll, type Store } from '@peatmoor/server';

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

/** The whole moss on a wall. */
const MOSS: Placed[] = [
  [[0, 0, 2, 5], of('gauge', 'North', [LEVELS[0]!])],
  [[2, 0, 2, 5], of('gauge', 'At the bridge', [LEVELS[1]!])],
  [[4, 0, 2, 5], of('gauge', 'South', [LEVELS[2]!])],
  [[6, 0, 6, 5], of('chart', 'Water in the peat', LEVELS)],
  [[0, 5, 3, 2], of('switch', 'Sluice on automatic', ['sluice-mill/automatic'])],
  [[3, 5, 3, 2], of('lamp', 'Gate motor', ['sluice-mill/motor'])],
  [[6, 5, 6, 4], of('chart', 'Above the sluice', ['sluice-mill/upstream_level'])],
  [[0, 7, 3, 2], of('value', 'Rain today', ['rain-hut/rain_day'])],
  [[3, 7, 3, 2], of('value', 'Peat temperature, north', ['dipwell-north/peat_temperature'])],
  [[0, 9, 6, 4], of('bars', 'Rain of each day', ['rain-hut/rain_day'], { shows: 'highest', bars: 14 })],
  [
    [6, 9, 6, 4],
    of('bars', 'Visitors of each day', ['footbridge/visitors_day'], { shows: 'highest', bars: 14 }),
  ],
  [[0, 13, 6, 5], of('track', 'Bracken’s way', ['pony-bracken/place'])],
  [[6, 13, 6, 5], of('pictures', 'By the alder', ['camera-alder/picture'])],
  [[0, 18, 12, 3], { type: 'events', title: 'Events of the moss' }],
];

/** Where the sluice is steered from. */
const SLUICE: Placed[] = [
  [[0, 0, 2, 5], of('gauge', 'Above the gate', ['sluice-mill/upstream_level'])],
  [[2, 0, 2, 5], of('gauge', 'Gate is open', ['sluice-mill/opening'])],
  [[4, 0, 8, 5], of('chart', 'Water above the gate', ['sluice-mill/upstream_level'])],
  [[0, 5, 12, 1], { type: 'heading', options: { words: 'Steer the gate' } }],
  [[0, 6, 5, 2], of('slider', 'Opening wanted', ['sluice-mill/opening_wanted'], { step: 5 })],
  [[5, 6, 3, 2], of('switch', 'By itself', ['sluice-mill/automatic'])],
  [[8, 6, 2, 2], of('button', 'Warn with the horn', ['sluice-mill/horn'])],
  [[10, 6, 2, 2], of('lamp', 'Motor', ['sluice-mill/motor'])],
  [[0, 8, 8, 4], of('chart', 'Gate', ['sluice-mill/opening'])],
  [[8, 8, 4, 4], { type: 'events', title: 'Events' }],
];

/** The dashboards of the moss, of named devices; the first is the sluice's own. */
export async function addDashboards(store: Store, workspaceId: number, sluiceKindId: number): Promise<void> {
  const add = async (title: string, placed: Placed[]): Promise<number> => {
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
      kindId: null,
      version: 1,
      changedBy: 'Warden',
      changedAt: Date.now(),
      widgets: widgets.map(storeWidget),
    });
    return dashboard.id;
  };
  await add('The moss', MOSS);
  const sluiceDashboard = await add('The sluice', SLUICE);
  const [sluice] = await findAll(store.models.devices, { where: { workspaceId, kindId: sluiceKindId } });
  await changeIn(
    store.models.devices,
    workspaceId,
    { rowId: sluice!.rowId },
    { dashboardId: sluiceDashboard },
  );
}
