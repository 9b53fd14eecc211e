import { accountEndpoints } from './account';
import { dashboardsEndpoints } from './dashboards';
import { dataEndpoints } from './data';
import { devicesEndpoints } from './devices';
import { firmwareEndpoints } from './firmware';
import { kindsEndpoints } from './kinds';
import { peopleEndpoints } from './people';
import { rulesEndpoints } from './rules';
import { sharingEndpoints } from './sharing';
import { steeringEndpoints } from './steering';

import type { Endpoint } from './endpoint';

export type { Endpoint, Versioned } from './endpoint';
export type { DashboardIn } from './dashboards';
export type { DeviceIn } from './devices';
export type { KindIn } from './kinds';
export type { LinkIn, LinkPreviewIn } from './sharing';
export type { RuleIn } from './rules';
export type { TimetableIn } from './steering';

/** The whole API in groups, as its description has them. */
export const endpointGroups = {
  account: accountEndpoints,
  people: peopleEndpoints,
  kinds: { ...kindsEndpoints, ...firmwareEndpoints },
  devices: devicesEndpoints,
  data: dataEndpoints,
  dashboards: dashboardsEndpoints,
  rules: rulesEndpoints,
  steering: steeringEndpoints,
  sharing: sharingEndpoints,
};

/** The whole API: the service registers it, the client calls it, OpenAPI is made from it. */
export const endpoints = {
  ...accountEndpoints,
  ...peopleEndpoints,
  ...kindsEndpoints,
  ...firmwareEndpoints,
  ...devicesEndpoints,
  ...dataEndpoints,
  ...dashboardsEndpoints,
  ...rulesEndpoints,
  ...steeringEndpoints,
  ...sharingEndpoints,
};
/** Calls that make something, by their names; what they only look at (`try`) is not made. */
export const makesSomething = (name: string, { method }: Pick<Endpoint, 'method'>): boolean =>
  method === 'POST' && /^(create|copy)/.test(name);

export type Endpoints = typeof endpoints;
export type EndpointName = keyof Endpoints;
export type AnswerOf<N extends EndpointName> = NonNullable<Endpoints[N]['types']>['answer'];
export type BodyOf<N extends EndpointName> = NonNullable<Endpoints[N]['types']>['body'];
export type QueryOf<N extends EndpointName> = NonNullable<Endpoints[N]['types']>['query'];
