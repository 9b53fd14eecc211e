import { Suspense, useEffect, type ComponentType, type ReactNode } from 'react';
import { Link, Route, Routes, useLocation, useNavigate } from 'react-router';
import { useRead } from './api';
import { Shell } from './layout/Shell';
import { LiveProvider } from './live';
import { pageOf } from './pages';
import { AskProvider } from './parts/Ask';
import { PageBoundary } from './parts/Boundary';
import { Heading } from './parts/Heading';
import { Notice } from './parts/Notice';
import { isVisitor } from './visitor';
import { chooseDates } from './parts/time';

// Each page is a file of its own, fetched when it is first opened.
const Alerts = pageOf('Alerts');
const AlertLink = pageOf('AlertLink');
const Arrivals = pageOf('Arrivals');
const Dashboard = pageOf('Dashboard');
const Dashboards = pageOf('Dashboards');
const Device = pageOf('Device');
const Devices = pageOf('Devices');
const EventPage = pageOf('EventPage');
const Events = pageOf('Events');
const History = pageOf('History');
const KindPage = pageOf('KindPage');
const NewDevice = pageOf('NewDevice');
const Join = pageOf('Join');
const Overview = pageOf('Overview');
const People = pageOf('People');
const RulePage = pageOf('RulePage');
const Settings = pageOf('Settings');
const Trust = pageOf('Trust');
const Wall = pageOf('Wall');
const Changes = pageOf('Changes');
const Confirm = pageOf('Confirm');
const Reset = pageOf('Reset');
const Take = pageOf('Take');
const Shared = pageOf('Shared');
const SignIn = pageOf('SignIn');

/** Pages that a link in a mail, or one that was handed over, leads to, by the beginning of their address. */
const LINKED: Record<string, ComponentType> = {
  alert: AlertLink,
  join: Join,
  reset: Reset,
  confirm: Confirm,
};

/** The page of a share link, which needs nobody signed in, or the console. */
export function App(): ReactNode {
  return (
    <PageBoundary>
      {isVisitor ? (
        <Suspense>
          <Shared />
        </Suspense>
      ) : (
        <Console />
      )}
    </PageBoundary>
  );
}

/** Sign-in until somebody is signed in, then the pages. */
function Console(): ReactNode {
  const me = useRead('me');
  const { pathname } = useLocation();
  const signedOut = me.error?.problem.status === 401;
  if (pathname === '/trust')
    return (
      <Suspense>
        <Trust />
      </Suspense>
    );
  // A link in a mail needs nobody signed in.
  const Linked = LINKED[pathname.split('/')[1] ?? ''];
  if (Linked !== undefined)
    return (
      <Suspense>
        <Linked />
      </Suspense>
    );
  // What the page shows before its script is there stays until it is known who is signed in.
  if (me.isPending) return <p className="first">Peatmoor</p>;
  if (signedOut)
    return (
      <Suspense>
        <SignIn />
      </Suspense>
    );
  // Who was signed in goes on looking at the page while the service is not reached.
  if (me.data === undefined) return <Notice error={me.error} />;
  chooseDates(me.data.user.language, me.data.user.zone);
  return (
    <LiveProvider>
      <AskProvider>
        <Begin start={me.data.user.start} />
        <Routes>
          <Route
            path="/dashboards/:dashboard/wall"
            element={
              <Suspense>
                <Wall />
              </Suspense>
            }
          />
          <Route path="*" element={<Pages />} />
        </Routes>
      </AskProvider>
    </LiveProvider>
  );
}

/** Leads to the page a person begins with, once in a tab. */
function Begin({ start }: { start: string }): ReactNode {
  const { pathname } = useLocation();
  const navigate = useNavigate();
  useEffect(() => {
    if (sessionStorage.getItem(BEGUN) !== null) return;
    sessionStorage.setItem(BEGUN, '1');
    if (start !== '' && pathname === '/') void navigate(start, { replace: true });
  }, [start, pathname, navigate]);
  return null;
}
const BEGUN = 'peatmoor begun';

function Pages(): ReactNode {
  return (
    <Shell>
      <PageBoundary>
        <Suspense>
          <Routes>
            <Route path="/" element={<Overview />} />
            <Route path="/dashboards" element={<Dashboards />} />
            <Route path="/dashboards/:dashboard" element={<Dashboard />} />
            <Route path="/history" element={<History />} />
            <Route path="/events" element={<Events />} />
            <Route path="/events/:event" element={<EventPage />} />
            <Route path="/alerts" element={<Alerts />} />
            <Route path="/events/rules/:rule" element={<RulePage />} />
            <Route path="/devices" element={<Devices />} />
            <Route path="/arrivals" element={<Arrivals />} />
            <Route path="/devices/new" element={<NewDevice />} />
            <Route path="/devices/:device/:part?" element={<Device />} />
            <Route path="/kinds/:kind" element={<KindPage />} />
            <Route path="/people" element={<People />} />
            <Route path="/take" element={<Take />} />
            <Route path="/people/changes" element={<Changes />} />
            <Route path="/settings" element={<Settings />} />
            <Route path="*" element={<NoPage />} />
          </Routes>
        </Suspense>
      </PageBoundary>
    </Shell>
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
