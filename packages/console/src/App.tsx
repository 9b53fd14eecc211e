import type { ReactNode } from 'react';
import { Navigate, Route, Routes } from 'react-router';
import { useRead } from './api';
import { Shell } from './layout/Shell';
import { LiveProvider } from './live';
import { Arrivals } from './pages/Arrivals';
import { Dashboard } from './pages/Dashboard';
import { Dashboards } from './pages/Dashboards';
import { Device } from './pages/Device';
import { Devices } from './pages/Devices';
import { Events } from './pages/Events';
import { History } from './pages/History';
import { KindPage } from './pages/Kind';
import { NewDevice } from './pages/NewDevice';
import { Join } from './pages/Join';
import { Overview } from './pages/Overview';
import { People } from './pages/People';
import { RulePage } from './pages/RulePage';
import { Settings } from './pages/Settings';
import { SignIn } from './pages/SignIn';
import { AskProvider } from './parts/Ask';
import { Notice } from './parts/Notice';

/** Sign-in until somebody is signed in, then the pages. */
export function App(): ReactNode {
  const me = useRead('me');
  if (me.isPending) return null;
  if (me.error?.problem.status === 401) return location.pathname === '/join' ? <Join /> : <SignIn />;
  // Who was signed in goes on looking at the page while the service is not reached.
  if (me.data === undefined) return <Notice error={me.error} />;
  return (
    <LiveProvider>
      <AskProvider>
        <Shell>
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
            <Route path="*" element={<Navigate to="/" replace />} />
          </Routes>
        </Shell>
      </AskProvider>
    </LiveProvider>
  );
}
