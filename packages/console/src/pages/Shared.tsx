import { Box, Button, TextField, Typography } from '@mui/material';
import { useColorScheme } from '@mui/material/styles';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import { useSearchParams } from 'react-router';
import type { ApiError, Shared as SharedContent } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
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
import { troubleOf } from '../parts/problems';
import { dates, showClock } from '../parts/time';
import { useAddress } from '../parts/useAddress';
import { ink } from '../theme';
import { sharedSecret, visitWith } from '../visitor';

/** What a share link shows: the page by itself, alone or in a frame, without anything of the console around it. */
export function Shared(): ReactNode {
  const shared = useRead('readShared');
  const [search] = useSearchParams();
  useLook(search.get('look'));
  const kind = shared.error?.problem.type.split('/').at(-1) ?? '';
  if (shared.error !== null && /passphrase-needed$/.test(kind)) return <Passphrase error={shared.error} />;
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

function Passphrase({ error }: { error: ApiError }): ReactNode {
  const client = useQueryClient();
  const open = useChange('openShared');
  const [passphrase, setPassphrase] = useState('');
  return (
    <Plain title="A passphrase opens this">
      <Typography sx={{ mb: 2 }}>{error.problem.detail} Whoever gave you the link knows it.</Typography>
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          open.mutate(
            { body: { secret: sharedSecret, passphrase } },
            {
              onSuccess: ({ credential }) => {
                visitWith(credential);
                void client.resetQueries();
              },
            },
          );
        }}
        sx={{ display: 'flex', gap: 2, alignItems: 'flex-end', maxWidth: 420 }}
      >
        <TextField
          label="Passphrase"
          type="password"
          autoFocus
          value={passphrase}
          onChange={({ target }) => setPassphrase(target.value)}
          {...troubleOf(open.error)('passphrase')}
        />
        <Button type="submit" variant="contained" disabled={passphrase === '' || open.isPending}>
          Open
        </Button>
      </Box>
      {open.error !== null && !/passphrase/.test(open.error.message) && (
        <Typography role="alert" sx={{ mt: 2, color: ink.rowan }}>
          {open.error.message}
        </Typography>
      )}
    </Plain>
  );
}

function Ended(): ReactNode {
  return (
    <Plain title="This link shows nothing any more">
      It was withdrawn, or its time is over. Ask whoever gave it to you for a new one.
    </Plain>
  );
}

function Plain({ title, children }: { title: string; children: ReactNode }): ReactNode {
  return (
    <Box component="main" sx={{ maxWidth: 620, mx: 'auto', p: 3, pt: { xs: 4, sm: 8 } }}>
      <Typography component="h1" variant="h1" sx={{ mb: 2 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}
