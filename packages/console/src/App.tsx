import { lazy, Suspense, type ReactNode } from 'react';
import { Link, Route, Routes } from 'react-router';
import { useRead } from './api';
import { Shell } from './layout/Shell';
import { LiveProvider } from './live';
import { AskProvider } from './parts/Ask';
import { Heading } from './parts/Heading';
import { Notice } from './parts/Notice';

// Each page is a file of its own, fetched when it is first opened.
const Arrivals = lazy(() => import('./pages/Arrivals').then((page) => ({ default: page.Arrivals })));
const Dashboard = lazy(() => import('./pages/Dashboard').then((page) => ({ default: page.Dashboard })));
const Dashboards = lazy(() => import('./pages/Dashboards').then((page) => ({ default: page.Dashboards })));
const Device = lazy(() => import('./pages/Device').then((page) => ({ default: page.Device })));
const Devices = lazy(() => import('./pages/Devices').then((page) => ({ default: page.Devices })));
const Events = lazy(() => import('./pages/Events').then((page) => ({ default: page.Events })));
const History = lazy(() => import('./pages/History').then((page) => ({ default: page.History })));
const KindPage = lazy(() => import('./pages/Kind').then((page) => ({ default: page.KindPage })));
const NewDevice = lazy(() => import('./pages/NewDevice').then((page) => ({ default: page.NewDevice })));
const Join = lazy(() => import('./pages/Join').then((page) => ({ default: page.Join })));
const Overview = lazy(() => import('./pages/Overview').then((page) => ({ default: page.Overview })));
const People = lazy(() => import('./pages/People').then((page) => ({ default: page.People })));
const RulePage = lazy(() => import('./pages/RulePage').then((page) => ({ default: page.RulePage })));
const Settings = lazy(() => import('./pages/Settings').then((page) => ({ default: page.Settings })));
const SignIn = lazy(() => import('./pages/SignIn').then((page) => ({ default: page.SignIn })));

/** Sign-in until somebody is signed in, then the pages. */
export function App(): ReactNode {
  const me = useRead('me');
  if (me.isPending) return null;
  if (me.error?.problem.status === 401)
    return <Suspense>{location.pathname === '/join' ? <Join /> : <SignIn />}</Suspense>;
  // Who was signed in goes on looking at the page while the service is not reached.
  if (me.data === undefined) return <Notice error={me.error} />;
  return (
    <LiveProvider>
      <AskProvider>
        <Shell>
          <Suspense>
            <Routes>
              <Route path="/" element={<Overview />} />
              <Route path="/dashboards" element={<Dashboards />} />
              <Route path="/dashboards/:dashboard" element={<Dashboard />} />
              <Route path="/history" element={<History />} />
              <Route path="/events" element={<Events />} />
              <Route path="/events/rules/:rule" element={<RulePage />} />
              <Route path="/devices" element={<Devices />} />
              <Route path="/arrivals" element={<Arrivals />} />
              <Route path="/devices/new" element={<NewDevice />} />
              <Route path="/devices/:device" element={<Device />} />
              <Route path="/kinds/:kind" element={<KindPage />} />
              <Route path="/people" element={<People />} />
              <Route path="/settings" element={<Settings />} />
              <Route path="*" element={<NoPage />} />
            </Routes>
          </Suspense>
        </Shell>
      </AskProvider>
    </LiveProvider>
  );
}

function NoPage(): ReactNode {
  return (
    <>
      <Heading title="No such page" below="The address is not right, or the page has moved." />
      <Link to="/">To the overview</Link>
    </>
  );
}
