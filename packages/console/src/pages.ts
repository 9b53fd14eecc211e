/** The files of the pages, each fetched when it is first opened. */
export const pages = {
  Alerts: () => import('./pages/Alerts').then((page) => ({ default: page.Alerts })),
  AlertLink: () => import('./pages/AlertLink').then((page) => ({ default: page.AlertLink })),
  Arrivals: () => import('./pages/Arrivals').then((page) => ({ default: page.Arrivals })),
  Dashboard: () => import('./pages/Dashboard').then((page) => ({ default: page.Dashboard })),
  Dashboards: () => import('./pages/Dashboards').then((page) => ({ default: page.Dashboards })),
  Device: () => import('./pages/Device').then((page) => ({ default: page.Device })),
  Devices: () => import('./pages/Devices').then((page) => ({ default: page.Devices })),
  EventPage: () => import('./pages/EventPage').then((page) => ({ default: page.EventPage })),
  Events: () => import('./pages/Events').then((page) => ({ default: page.Events })),
  History: () => import('./pages/History').then((page) => ({ default: page.History })),
  KindPage: () => import('./pages/Kind').then((page) => ({ default: page.KindPage })),
  NewDevice: () => import('./pages/NewDevice').then((page) => ({ default: page.NewDevice })),
  Join: () => import('./pages/Join').then((page) => ({ default: page.Join })),
  Overview: () => import('./pages/Overview').then((page) => ({ default: page.Overview })),
  People: () => import('./pages/People').then((page) => ({ default: page.People })),
  RulePage: () => import('./pages/RulePage').then((page) => ({ default: page.RulePage })),
  Settings: () => import('./pages/Settings').then((page) => ({ default: page.Settings })),
  Trust: () => import('./pages/Trust').then((page) => ({ default: page.Trust })),
  Wall: () => import('./pages/Wall').then((page) => ({ default: page.Wall })),
  Changes: () => import('./pages/Changes').then((page) => ({ default: page.Changes })),
  Confirm: () => import('./pages/Link').then((page) => ({ default: page.Confirm })),
  Reset: () => import('./pages/Link').then((page) => ({ default: page.Reset })),
  Take: () => import('./pages/Take').then((page) => ({ default: page.Take })),
  Shared: () => import('./pages/Shared').then((page) => ({ default: page.Shared })),
  SignIn: () => import('./pages/SignIn').then((page) => ({ default: page.SignIn })),
};

/** Which page an address opens, so that its file is fetched while it is still found out who is signed in. */
const FIRST: [RegExp, keyof typeof pages][] = [
  [/^\/$/, 'Overview'],
  [/^\/dashboards\/\d+\/wall$/, 'Wall'],
  [/^\/dashboards\/\d+$/, 'Dashboard'],
  [/^\/dashboards$/, 'Dashboards'],
  [/^\/devices\/[^/]+/, 'Device'],
  [/^\/devices$/, 'Devices'],
  [/^\/history$/, 'History'],
  [/^\/events$/, 'Events'],
  [/^\/shared\//, 'Shared'],
];

/** Fetches the file of an address's page; for null, that to sign in. */
export function fetchFirst(address: string | null): void {
  const name = address === null ? 'SignIn' : FIRST.find(([pattern]) => pattern.test(address))?.[1];
  if (name !== undefined) void pages[name]().catch(() => undefined);
}
