import { createElement, lazy, useState, type ComponentType } from 'react';
import { firstPageOf } from '@peatmoor/contract';
import { untilFetched } from './parts/later';

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

type PageName = keyof typeof pages;
const fetched = new Map<PageName, ComponentType>();

/** Fetches the file of an address's page; for null, that to sign in. Resolves once it is there, or cannot be fetched. */
export async function fetchFirst(address: string | null): Promise<void> {
  const name = address === null ? 'SignIn' : firstPageOf(address);
  if (name === undefined) return;
  const file = await pages[name]().catch(() => null);
  if (file !== null) fetched.set(name, file.default);
}

/** A page as a component, whose file is fetched when it is first shown; where that is there already, nothing waits for it. */
export function pageOf(name: PageName): ComponentType {
  const Later = lazy(() => untilFetched(pages[name]));
  return function Page() {
    const [Now] = useState<ComponentType>(() => fetched.get(name) ?? Later);
    return createElement(Now);
  };
}
