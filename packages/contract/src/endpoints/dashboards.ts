import * as dashboards from '../schemas/dashboards';
import * as paging from '../schemas/paging';
import { endpoint, type Query } from './endpoint';

export type DashboardIn = Pick<dashboards.NewDashboard, 'title'> & Partial<dashboards.NewDashboard>;

/** Dashboards. */
export const dashboardsEndpoints = {
  listDashboards: endpoint<dashboards.Dashboard[], undefined, Query<paging.DashboardsQuery>>(
    'GET /api/dashboards',
    'follow',
    'Dashboards',
    {
      query: paging.dashboardsQuerySchema,
      pages: 'all',
      answer: dashboards.dashboardsSchema,
    },
  ),
  createDashboard: endpoint<dashboards.Dashboard, DashboardIn>(
    'POST /api/dashboards',
    'change',
    'Make a dashboard',
    { body: dashboards.newDashboardSchema, answer: dashboards.dashboardSchema },
  ),
  createStarterDashboard: endpoint<dashboards.Dashboard>(
    'POST /api/devices/:device/dashboard',
    'change',
    'Make the complete dashboard offered for a device',
    { answer: dashboards.dashboardSchema },
  ),
  createKindDashboard: endpoint<dashboards.Dashboard>(
    'POST /api/kinds/:kind/dashboard',
    'change',
    'Make a complete dashboard for whichever device of a kind is chosen',
    { answer: dashboards.dashboardSchema },
  ),
  readDashboard: endpoint<dashboards.Dashboard>('GET /api/dashboards/:dashboard', 'follow', 'One dashboard', {
    versioned: 'dashboard',
    answer: dashboards.dashboardSchema,
  }),
  changeDashboard: endpoint<dashboards.Dashboard, dashboards.DashboardChange>(
    'PUT /api/dashboards/:dashboard',
    'change',
    'Keep a change; 409 when somebody else changed it since',
    {
      body: dashboards.dashboardChangeSchema,
      versioned: 'dashboard',
      answer: dashboards.dashboardSchema,
    },
  ),
  deleteDashboard: endpoint<void>('DELETE /api/dashboards/:dashboard', 'change', 'Delete a dashboard', {
    versioned: 'dashboard',
  }),
};
