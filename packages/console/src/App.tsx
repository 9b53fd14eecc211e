import { lazy, Suspense, useEffect, type ComponentType, type ReactNode } from 'react';
import { Link, Route, Routes, useLocation, useNavigate } from 'react-router';
import { useRead } from './api';
import { Shell } from './layout/Shell';
import { LiveProvider } from './live';
import { pages } from './pages';
import { AskProvider } from './parts/Ask';
import { Heading } from './parts/Heading';
import { Notice } from './parts/Notice';
import { isVisitor } from './visitor';

// Each page is a file of its own, fetched when it is first opened.
const Alerts = lazy(pages.Alerts);
const AlertLink = lazy(pages.AlertLink);
const Arrivals = lazy(pages.Arrivals);
const Dashboard = lazy(pages.Dashboard);
const Dashboards = lazy(pages.Dashboards);
const Device = lazy(pages.Device);
const Devices = lazy(pages.Devices);
const EventPage = lazy(pages.EventPage);
const Events = lazy(pages.Events);
const History = lazy(pages.History);
const KindPage = lazy(pages.KindPage);
const NewDevice = lazy(pages.NewDevice);
const Join = lazy(pages.Join);
const Overview = lazy(pages.Overview);
const People = lazy(pages.People);
const RulePage = lazy(pages.RulePage);
const Settings = lazy(pages.Settings);
const Trust = lazy(pages.Trust);
const Wall = lazy(pages.Wall);
const Changes = lazy(pages.Changes);
const Confirm = lazy(pages.Confirm);
const Reset = lazy(pages.Reset);
const Take = lazy(pages.Take);
const Shared = lazy(pages.Shared);
const SignIn = lazy(pages.SignIn);

/** Pages that a link in a mail, or one that was handed over, leads to, by the beginning of their address. */
const LINKED: Record<string, ComponentType> = {
  alert: AlertLink,
  join: Join,
  reset: Reset,
  confirm: Confirm,
};

/** The page of a share link, which needs nobody signed in, or the console. */
export function App(): ReactNode {
  return isVisitor ? (
    <Suspense>
      <Shared />
    </Suspense>
  ) : (
    <Console />
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
