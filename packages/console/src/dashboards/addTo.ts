import { findPlace, fitPlace, type Place, type Widget } from '@peatmoor/core';
import { api, queryClient } from '../api';

/** Puts widgets on the first page of a dashboard, each in the first place that is free there; returns its title. */
export async function addToDashboard(
  dashboard: number,
  widgets: readonly Omit<Widget, 'id' | keyof Pick<Place, 'x' | 'y'>>[],
): Promise<string> {
  const { version, title, ...now } = await api.call('readDashboard', { params: { dashboard } });
  const all = [...now.widgets];
  for (const [i, { page: _page, phone: _phone, ...widget }] of widgets.entries()) {
    const first = all.filter(({ page = 0 }) => page === 0);
    all.push(
      fitPlace({
        ...widget,
        id: `w${Date.now().toString(36)}${i}`,
        ...findPlace(first, { w: widget.w, h: widget.h }),
      }),
    );
  }
  await api.call('changeDashboard', { params: { dashboard }, body: { version, title, widgets: all } });
  void queryClient.invalidateQueries({ queryKey: ['listDashboards'] });
  return title;
}
