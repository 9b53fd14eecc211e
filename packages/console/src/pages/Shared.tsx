import { Box, Typography } from '@mui/material';
import { useColorScheme } from '@mui/material/styles';
import { Suspense, useEffect, useMemo, type ReactNode } from 'react';
import { useSearchParams } from 'react-router';
import type { Shared as SharedContent } from '@peatmoor/contract';
import { useRead } from '../api';
import { goingLike, PERIODS, type Period } from '../charts/period';
import { TimeStrip } from '../charts/TimeStrip';
import { usePeriod } from '../charts/usePeriod';
import { ChosenLine } from '../dashboards/ChosenLine';
import { DashboardView } from '../dashboards/DashboardView';
import { Pages } from '../dashboards/Pages';
import { useCatalogue } from '../dashboards/useCatalogue';
import { useChosen } from '../dashboards/useChosen';
import { LiveProvider, useLive, useNow } from '../live';
import { AskProvider } from '../parts/Ask';
import { later } from '../parts/later';
import { dates, showClock } from '../parts/time';
import { useAddress } from '../parts/useAddress';
import { Plain } from '../sharing/Plain';
import { ink } from '../theme';

// Few links have one, and its field is as large as the rest of the page.
const Passphrase = later(() => import('../sharing/Passphrase'), 'Passphrase');

/** What a share link shows: the page by itself, alone or in a frame, without anything of the console around it. */
export function Shared(): ReactNode {
  const shared = useRead('readShared');
  const [search] = useSearchParams();
  useLook(search.get('look'));
  const kind = shared.error?.problem.type.split('/').at(-1) ?? '';
  if (shared.error !== null && /passphrase-needed$/.test(kind))
    return (
      <Suspense>
        <Passphrase error={shared.error} />
      </Suspense>
    );
  if (shared.error !== null && [401, 403, 404].includes(shared.error.problem.status)) return <Ended />;
  if (shared.data === undefined)
    return shared.error === null ? null : <Plain title="Not reached">{shared.error.message}</Plain>;
  return (
    <LiveProvider>
      <AskProvider>
        <SharedPage shared={shared.data} framed={search.get('frame') === '1'} />
      </AskProvider>
    </LiveProvider>
  );
}

function SharedPage({ shared, framed }: { shared: SharedContent; framed: boolean }): ReactNode {
  const { dashboard, periodMs, periodOpen, backMs, endsAt, sort } = shared;
  const catalogue = useCatalogue(dashboard.kindId);
  const chosen = useChosen(0, dashboard, catalogue);
  const first = useMemo(() => goingLike(periodMs), [periodMs]);
  const [wanted, setPeriod] = usePeriod(first);
  const [pageText, setPage] = useAddress('page');
  const period: Period = periodOpen ? wanted : first;
  const now = useNow(15_000);
  const { connected, lostAt } = useLive();
  const pages = dashboard.pages;
  const page = Math.min(Math.max(0, pages.length - 1), Math.max(0, (Number(pageText) || 1) - 1));
  if (catalogue === null) return null;
  const widgets = dashboard.widgets.filter((one) => pages.length < 2 || (one.page ?? 0) === page);
  const single = sort === 'widget';
  return (
    <Box
      component="main"
      data-shared={sort}
      sx={{
        maxWidth: 1240,
        mx: 'auto',
        px: framed ? 1 : { xs: 2, sm: 3 },
        pt: framed ? 0.5 : { xs: 2, sm: 3 },
        pb: periodOpen && !single ? 12 : 2,
      }}
    >
      <title>{`${shared.title} · Peatmoor`}</title>
      {!framed && (
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap', mb: 2 }}>
          <Typography component="h1" variant="h1">
            {shared.title}
          </Typography>
          <Typography color="textSecondary">
            Shared to look at
            {endsAt === null ? '' : `, until ${dates().date(endsAt)}`}.
          </Typography>
        </Box>
      )}
      {!connected && lostAt !== null && (
        <Typography role="status" sx={{ color: ink.rowan, fontWeight: 700 }}>
          not connected since {showClock(lostAt, now)}
        </Typography>
      )}
      {pages.length > 1 && (
        <Pages
          pages={pages}
          at={page}
          onGo={(next) => setPage(next === 0 ? '' : String(next + 1))}
          onChange={undefined}
          onRemove={undefined}
        />
      )}
      {!single && <ChosenLine chosen={chosen} />}
      {widgets.length === 0 && (
        <Typography color="textSecondary">Nothing is shown here at the moment.</Typography>
      )}
      <DashboardView
        widgets={single ? widgets.map((one) => ({ ...one, x: 0, y: 0, w: 12 })) : widgets}
        devices={chosen.devices}
        catalogue={catalogue}
        period={period}
        onPeriod={periodOpen ? setPeriod : () => undefined}
        arranger={null}
      />
      {periodOpen && !single && (
        <TimeStrip
          period={period}
          onChange={setPeriod}
          among={PERIODS.filter(({ ms }) => backMs === null || ms <= backMs)}
        />
      )}
    </Box>
  );
}

/** What a frame asks for: light, dark, or transparent over the page around it. */
function useLook(look: string | null): void {
  const { setMode } = useColorScheme();
  useEffect(() => {
    if (look === 'light' || look === 'dark') setMode(look);
    if (look === 'transparent')
      for (const one of [document.documentElement, document.body]) one.style.background = 'transparent';
  }, [look, setMode]);
}

function Ended(): ReactNode {
  return (
    <Plain title="This link shows nothing any more">
      It was withdrawn, or its time is over. Ask whoever gave it to you for a new one.
    </Plain>
  );
}
