import { Box, Button } from '@mui/material';
import { useColorScheme } from '@mui/material/styles';
import { useEffect, useState, type ReactNode } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { nightsOf } from '@peatmoor/core';
import { AlertBanner } from '../alerts/Banner';
import { useRead } from '../api';
import { usePeriod } from '../charts/usePeriod';
import { DashboardView } from '../dashboards/DashboardView';
import { useCatalogue } from '../dashboards/useCatalogue';
import { useChosen } from '../dashboards/useChosen';
import { useLive, useNow } from '../live';
import { NotThere } from '../parts/NotThere';
import { dates, showClock } from '../parts/time';
import { useAddress } from '../parts/useAddress';
import { ink } from '../theme';

/** How long each page stands where a wall turns its pages, in s, where the address says nothing else. */
const TURN_S = 30;
/** How long the pointer is still before it is hidden, in ms. */
const STILL_MS = 3000;
/** Where nobody knows when the sun sets: from ten in the evening to six. */
/** Height of the line above the widgets with the space around it, in px. */
const HEAD_PX = 84;
const NIGHT_HOURS = [22, 6] as const;

/**
 * A dashboard on a wall: the whole screen, large, dimmed at night, and there again by itself after whatever happened to the
 * service. Left with Escape.
 */
export function Wall(): ReactNode {
  const id = Number(useParams().dashboard);
  const navigate = useNavigate();
  const dashboard = useRead('readDashboard', { params: { dashboard: id } });
  const content = dashboard.data ?? null;
  const catalogue = useCatalogue(content?.kindId ?? null);
  const chosen = useChosen(id, content, catalogue);
  const [period, setPeriod] = usePeriod();
  const [turn] = useAddress('turn');
  const pages = content?.pages.length ?? 0;
  const page = useTurning(pages, (Number(turn) || TURN_S) * 1000);
  const { connected, lostAt } = useLive();
  const now = useNow(15_000);
  const night = useNight(now);
  const still = useStill();
  const { width, height } = useScreen();
  const zoom = width < 900 ? 1 : Math.min(2, width / 1180);
  useAwake();
  useDark(night);
  useEffect(() => {
    const leave = (event: KeyboardEvent): void => {
      if (event.key === 'Escape' && document.fullscreenElement === null) void navigate(`/dashboards/${id}`);
    };
    window.addEventListener('keydown', leave);
    return () => window.removeEventListener('keydown', leave);
  }, [id, navigate]);
  if (content === null || catalogue === null)
    return <NotThere error={dashboard.error} what="dashboard" back={['All dashboards', '/dashboards']} />;
  const widgets = content.widgets.filter((one) => pages < 2 || (one.page ?? 0) === page);
  return (
    <Box
      component="main"
      data-wall={night ? 'night' : 'day'}
      sx={{
        minHeight: '100dvh',
        px: { xs: 2, md: 4 },
        py: 2,
        cursor: still ? 'none' : 'auto',
        // Read from three metres: everything grows with the screen.
        zoom,
        filter: night ? 'brightness(0.7)' : 'none',
      }}
    >
      <title>{`${content.title} · Peatmoor`}</title>
      <AlertBanner />
      <Box sx={{ display: 'flex', gap: 3, alignItems: 'baseline', mb: 2 }}>
        <Box component="h1" sx={{ m: 0, fontSize: '1.6rem', fontWeight: 750 }}>
          {content.title}
          {pages > 1 && ` · ${content.pages[page] || `Page ${page + 1}`}`}
        </Box>
        {!connected && (
          <Box role="status" sx={{ color: ink.rowan, fontWeight: 700 }}>
            not connected{lostAt === null ? '' : ` since ${showClock(lostAt, now)}`}
          </Box>
        )}
        <Box sx={{ flex: 1 }} />
        <Box sx={{ display: still ? 'none' : 'flex', gap: 1 }}>
          <Button onClick={() => void document.documentElement.requestFullscreen?.()}>Full screen</Button>
          <Button component={Link} to={`/dashboards/${id}`}>
            Leave the wall
          </Button>
        </Box>
        <Box sx={{ fontSize: '1.6rem', fontWeight: 750 }}>{showClock(now, now)}</Box>
      </Box>
      <DashboardView
        widgets={widgets}
        devices={chosen.devices}
        catalogue={catalogue}
        period={period}
        onPeriod={setPeriod}
        arranger={null}
        heightPx={height / zoom - HEAD_PX}
      />
    </Box>
  );
}

/** The page that stands now, of several that take turns. */
function useTurning(pages: number, everyMs: number): number {
  const [page, setPage] = useState(0);
  useEffect(() => {
    if (pages < 2) return;
    const timer = setInterval(() => setPage((now) => (now + 1) % pages), Math.max(5000, everyMs));
    return () => clearInterval(timer);
  }, [pages, everyMs]);
  return page % Math.max(1, pages);
}

/** True between sunset and sunrise where the workspace says where it is, else late by the clock. */
function useNight(now: number): boolean {
  const place = useRead('me').data?.workspace.place ?? null;
  const hour = dates().dateOf(now).getHours();
  if (place === null) return hour >= NIGHT_HOURS[0] || hour < NIGHT_HOURS[1];
  return nightsOf(now, now + 1, place).length > 0;
}

/** The size of the window, in px. */
function useScreen(): { width: number; height: number } {
  const size = (): { width: number; height: number } => ({ width: innerWidth, height: innerHeight });
  const [screen, setScreen] = useState(size);
  useEffect(() => {
    const changed = (): void => setScreen(size());
    window.addEventListener('resize', changed);
    return () => window.removeEventListener('resize', changed);
  }, []);
  return screen;
}

/** Colours of the night while it is night, whatever this browser has otherwise. */
function useDark(night: boolean): void {
  const { colorScheme } = useColorScheme();
  useEffect(() => {
    const root = document.documentElement;
    if (night) root.dataset.theme = 'dark';
    return () => {
      root.dataset.theme = colorScheme ?? 'light';
    };
  }, [night, colorScheme]);
}

/** True once the pointer has not moved for a while. */
function useStill(): boolean {
  const [still, setStill] = useState(false);
  useEffect(() => {
    let timer = 0;
    const moved = (): void => {
      setStill(false);
      clearTimeout(timer);
      timer = window.setTimeout(() => setStill(true), STILL_MS);
    };
    moved();
    for (const name of ['pointermove', 'keydown'] as const) window.addEventListener(name, moved);
    return () => {
      clearTimeout(timer);
      for (const name of ['pointermove', 'keydown'] as const) window.removeEventListener(name, moved);
    };
  }, []);
  return still;
}

/** Keeps the screen awake for as long as the page is seen, where the browser lets it. */
function useAwake(): void {
  useEffect(() => {
    let lock: { release(): Promise<void> } | null = null;
    const take = (): void => {
      if (document.visibilityState !== 'visible' || !('wakeLock' in navigator)) return;
      navigator.wakeLock.request('screen').then(
        (held) => (lock = held),
        () => undefined,
      );
    };
    take();
    document.addEventListener('visibilitychange', take);
    return () => {
      document.removeEventListener('visibilitychange', take);
      void lock?.release();
    };
  }, []);
}
