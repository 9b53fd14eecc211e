import { Box, ButtonBase, Typography, useMediaQuery } from '@mui/material';
import { Suspense, useEffect, useRef, useSyncExternalStore, type ReactNode } from 'react';
import { NavLink, useLocation } from 'react-router';
import { useRead } from '../api';
import { useLive } from '../live';
import { AlertBanner } from '../alerts/Banner';
import { FirstOnline } from './FirstOnline';
import { OpenCount } from './OpenCount';
import { mayDo } from '@peatmoor/core';
import { Switcher } from '../account/Switcher';
import { later, missingFiles } from '../parts/later';
import { useAnchor } from '../parts/useAnchor';
import { ink } from '../theme';

const MorePlaces = later(() => import('./MorePlaces'), 'MorePlaces');

const PLACES = [
  ['Overview', '/'],
  ['Dashboards', '/dashboards'],
  ['History', '/history'],
  ['Events', '/events'],
  ['Devices', '/devices'],
  ['People', '/people'],
  ['Settings', '/settings'],
] as const;

/** On a phone the first words stand on the line, the others under one more. */
const MOST_ON_PHONE = ['/', '/dashboards', '/events', '/devices'];

const GRANTED_PLACES: readonly string[] = ['/', '/dashboards', '/history', '/devices', '/settings'];

const LOST = 'Not connected, trying again …';
const MISSING = 'A part of this page cannot be fetched, trying again …';

/** The one top line of words, and the page below it. */
export function Shell({ children }: { children: ReactNode }): ReactNode {
  const { pathname } = useLocation();
  const main = useRef<HTMLElement>(null);
  const before = useRef(pathname);
  // On a new page the keyboard goes on at its beginning, instead of at the end of the one before.
  useEffect(() => {
    if (before.current === pathname) return;
    before.current = pathname;
    window.scrollTo(0, 0);
    main.current?.focus({ preventScroll: true });
  }, [pathname]);
  return (
    <Box sx={{ minHeight: '100dvh' }}>
      <Box
        component="a"
        href="#page"
        onClick={(event) => (event.preventDefault(), main.current?.focus())}
        sx={{
          position: 'fixed',
          top: -60,
          left: 8,
          zIndex: 30,
          px: 2,
          py: 1,
          bgcolor: ink.paper,
          border: `1px solid ${ink.ink}`,
          '&:focus': { top: 8 },
        }}
      >
        To the page
      </Box>
      <TopLine />
      <Box
        component="main"
        id="page"
        ref={main}
        tabIndex={-1}
        sx={{
          outline: 'none',
          maxWidth: 1240,
          mx: 'auto',
          px: { xs: 2, sm: 3 },
          pt: { xs: 2, sm: 3 },
          pb: 12,
        }}
      >
        <AlertBanner />
        <FirstOnline />
        {children}
      </Box>
    </Box>
  );
}

const WORD = {
  py: 1.5,
  textDecoration: 'none',
  borderBottom: '3px solid transparent',
  '&.active': { borderColor: ink.heather, fontWeight: 700 },
  '&:hover': { borderColor: ink.line },
} as const;

/** The words that have no room on a phone's line. */
function More(): ReactNode {
  const { pathname } = useLocation();
  const menu = useAnchor();
  const places = PLACES.filter(([, path]) => !MOST_ON_PHONE.includes(path));
  const isHere = places.some(([, path]) => pathname.startsWith(path));
  return (
    <>
      <ButtonBase
        aria-haspopup="menu"
        aria-expanded={menu.at !== null}
        onClick={menu.open}
        className={isHere ? 'active' : ''}
        sx={{ ...WORD, font: 'inherit' }}
      >
        More
      </ButtonBase>
      {menu.wasOpened && (
        <Suspense>
          <MorePlaces anchor={menu.at} places={places} onClose={menu.close} />
        </Suspense>
      )}
    </>
  );
}

function TopLine(): ReactNode {
  const phone = useMediaQuery('(max-width: 599.95px)');
  const { connected, lostAt } = useLive();
  // The first moments of a page are no loss.
  const isLost = !connected && lostAt !== null;
  const isMissing = useSyncExternalStore(missingFiles.subscribe, missingFiles.any);
  const trouble = isLost ? LOST : isMissing ? MISSING : false;
  const me = useRead('me').data;
  // Who sees only what was granted is not led to what says no.
  const mayGo = (path: string): boolean =>
    me === undefined || mayDo(me.role, 'look') || GRANTED_PLACES.includes(path);
  return (
    <Box
      component="header"
      sx={{
        borderBottom: `1px solid ${ink.line}`,
        position: 'sticky',
        top: 0,
        bgcolor: ink.paper,
        zIndex: 20,
      }}
    >
      <Box
        sx={{
          maxWidth: 1240,
          mx: 'auto',
          px: { xs: 2, sm: 3 },
          '@media (max-width: 359.95px)': { px: 1 },
          display: 'flex',
          alignItems: 'baseline',
          gap: { xs: 2, sm: 3 },
          overflowX: 'auto',
          whiteSpace: 'nowrap',
          scrollbarWidth: 'none',
        }}
      >
        <Typography
          component="span"
          sx={{
            fontWeight: 800,
            letterSpacing: '-0.02em',
            fontSize: '1.1rem',
            py: 1.25,
            display: { xs: 'none', sm: 'block' },
          }}
        >
          Peatmoor
        </Typography>
        <Box
          component="nav"
          aria-label="Pages"
          sx={{
            display: 'flex',
            gap: { xs: 1.5, sm: 2.5 },
            '@media (max-width: 599.95px)': { fontSize: '0.94rem' },
            '@media (max-width: 359.95px)': { fontSize: '0.86rem', gap: 1 },
          }}
        >
          {PLACES.filter(([, path]) => (!phone || MOST_ON_PHONE.includes(path)) && mayGo(path)).map(
            ([title, path]) => (
              <Box key={path} component={NavLink} to={path} end={path === '/'} sx={WORD}>
                {title}
                {path === '/events' && <OpenCount />}
              </Box>
            ),
          )}
          {phone && <More />}
        </Box>
        <Box sx={{ flex: 1 }} />
        <Typography
          component="span"
          variant="body2"
          role="status"
          data-connected={connected}
          sx={{ color: ink.rowan, py: 1.5, display: { xs: 'none', sm: 'inline' } }}
        >
          {trouble}
        </Typography>
        {!phone && <Switcher />}
      </Box>
      <Typography
        variant="body2"
        role="status"
        sx={{ color: ink.rowan, px: 2, display: { xs: 'block', sm: 'none' } }}
      >
        {trouble}
      </Typography>
    </Box>
  );
}
