import '../locale';
import {
  ICONS,
  checkOptions,
  LAST_ROW,
  WIDGET_TYPES,
  WIDGETS,
  withoutAsks,
  type OptionValue,
  type Widget,
  type WidgetType,
} from '@peatmoor/core';
import { array, boolean, mixed, number, object, string, type InferType } from 'yup';
import { DASHBOARD_COLOURS } from '../known';

/** Pages that one dashboard may have. */
const MOST_PAGES = 12;

/** Until 0.6 it stood with a widget whether it asks before it sends; now it is its datastream's, and dropped here. */
function ofNow<T>(options: T): T {
  const { asks } = (options ?? {}) as { asks?: unknown };
  return typeof asks === 'boolean' ? (withoutAsks(options as Record<string, unknown>) as T) : options;
}

const cell = number().integer().min(0).max(LAST_ROW).required();
export const widgetSchema = object({
  id: string().min(1).max(40).required(),
  type: string()
    .oneOf([...WIDGET_TYPES])
    .required(),
  title: string().max(80).defined(),
  sources: array(
    object({
      device: string().max(40).nullable().defined(),
      stream: string().max(40).required(),
    }).noUnknown(),
  )
    .max(8)
    .required()
    .test('count', function (sources) {
      const { type } = this.parent as { type: WidgetType };
      if (!WIDGET_TYPES.includes(type)) return true;
      const { mostSources, title: name } = WIDGETS[type];
      const what = name.toLowerCase();
      if (mostSources > 0 && sources.length === 0)
        return this.createError({ message: `is empty: a ${what} shows a datastream` });
      return (
        sources.length <= mostSources ||
        this.createError({
          message:
            mostSources === 0
              ? `must be empty for ${what}`
              : `has too many for a ${what}: ${mostSources} at the most`,
        })
      );
    }),
  /** What is chosen beside the usual, by the names that the sort of widget declares. */
  options: mixed<Record<string, OptionValue>>()
    .default({})
    .transform(ofNow)
    .test('options', function (options) {
      if (options === undefined) return true;
      if (typeof options !== 'object' || options === null || Array.isArray(options))
        return this.createError({ message: 'is not an object of names and values' });
      const { type } = this.parent as { type: WidgetType };
      // A wrong type is said at its own field.
      if (!WIDGET_TYPES.includes(type)) return true;
      const wrong = checkOptions(type, ofNow(options));
      return (
        wrong === null ||
        this.createError({
          path: `${this.path}.${wrong.option.slice(0, 40)}`,
          message: `${wrong.reason}. ${wrong.remedy.replace(/\.$/, '')}`,
        })
      );
    }),
  x: cell,
  y: cell,
  w: cell.min(1).max(12),
  h: cell.min(1).max(40),
  /** The page of the dashboard it is on, from 0. */
  page: number()
    .integer()
    .min(0)
    .max(MOST_PAGES - 1)
    .optional(),
  /** How it stands on the phone, where that is not what follows from the wide arrangement. */
  phone: object({
    order: number().integer().min(0).max(1000).optional(),
    hidden: boolean().optional(),
    width: string().oneOf(['full', 'half']).optional(),
    height: number().integer().min(40).max(1200).optional(),
  })
    .noUnknown()
    .optional()
    .default(undefined),
}).noUnknown();

const title = string().trim().min(1).max(80);
/** What a dashboard is found by and looks like; what is left out of a change stays. */
const look = {
  icon: string().oneOf(ICONS).optional(),
  colour: string().oneOf(DASHBOARD_COLOURS).optional(),
  labels: array(string().trim().lowercase().min(1).max(40).required()).max(20).optional(),
  /** A label: widgets may show whichever of its devices is chosen. */
  forLabel: string().trim().lowercase().max(40).nullable().optional(),
  /** Titles of its pages, where it has several. */
  pages: array(string().trim().max(40).defined()).max(MOST_PAGES).optional(),
};
const widgets = array(widgetSchema)
  .max(100)
  .test('apart', 'has two of one ID', function (list) {
    const places = new Map<string, number>();
    for (const [i, one] of (list ?? []).entries()) {
      // What is no widget at all is told by the schema of widgets.
      const id: unknown = (one as { id?: unknown } | null)?.id;
      if (typeof id !== 'string') continue;
      const first = places.get(id);
      if (first !== undefined)
        return this.createError({
          path: `widgets[${i}].id`,
          message: `is also that of widgets[${first}]`,
          type: 'apart',
        });
      places.set(id, i);
    }
    return true;
  });
export const newDashboardSchema = object({
  title: title.required(),
  /** The kind whose chosen device widgets may show; null for a dashboard of named devices only. */
  kindId: number().integer().nullable().default(null),
  widgets: widgets.default([]),
  ...look,
}).noUnknown();
export type NewDashboard = InferType<typeof newDashboardSchema>;

export const dashboardChangeSchema = object({
  /** The version the change was made from; another one since then is answered with 409. */
  version: number().integer().min(1).required(),
  title: title.required(),
  widgets: widgets.required(),
  /** The kind whose devices may be chosen; null for none. Left out, it stays. */
  kindId: number().integer().nullable().optional(),
  ...look,
}).noUnknown();

export type DashboardChange = Omit<InferType<typeof dashboardChangeSchema>, 'widgets'> & {
  widgets: Widget[];
};

export const dashboardSchema = object({
  id: number().required(),
  title: string().required(),
  kindId: number().nullable().defined(),
  version: number().required(),
  changedBy: string().defined(),
  changedAt: number().required(),
  widgets: array(widgetSchema).required(),
  icon: string().oneOf(ICONS).defined(),
  colour: string().oneOf(DASHBOARD_COLOURS).required(),
  labels: array(string().required()).required(),
  forLabel: string().nullable().defined(),
  pages: array(string().defined()).required(),
});
export type Dashboard = Omit<InferType<typeof dashboardSchema>, 'widgets'> & { widgets: Widget[] };
/** What a dashboard is found by and looks like. */
export type DashboardLook = Pick<Dashboard, 'icon' | 'colour' | 'labels' | 'forLabel' | 'pages'>;
export const dashboardsSchema = array(dashboardSchema).required();
