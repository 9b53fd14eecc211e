import { CssBaseline, ThemeProvider } from '@mui/material';
import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode, startTransition } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { BASE, herePath, under } from './base';
import { hasBegun, isNobody } from './began';
import { api, keyOf, queryClient } from './api';
import { App } from './App';
import { fetchFirst } from './pages';
import { theme } from './theme';
import { isVisitor } from './visitor';

// What nearly every page needs is asked for at once, not one after the other. The service says whether
// somebody may be signed in, and mostly who.
const maybe = document.documentElement.dataset.session !== undefined;
const asked = isVisitor
  ? (['readShared', 'listDevices', 'listKinds'] as const)
  : maybe
    ? (['me', 'listDevices', 'listKinds'] as const)
    : isNobody
      ? (['me', 'status'] as const)
      : (['me'] as const);
const firstPage = fetchFirst(isVisitor || maybe ? herePath() : null);
for (const name of asked)
  void queryClient.prefetchQuery({ queryKey: keyOf(name), queryFn: () => api.call(name) });

// Only where the browser trusts the connection: on this machine, or over HTTPS. It fetches all files of the console, and
// so begins only once the page has what it shows.
const WORKER_AFTER_MS = 4000;
if (import.meta.env.PROD && 'serviceWorker' in navigator && !isVisitor)
  setTimeout(
    () => void navigator.serviceWorker.register(under('/worker.js')).catch(() => undefined),
    WORKER_AFTER_MS,
  );

const root = createRoot(document.getElementById('root')!);
// Drawn in slices, so that the page goes on answering meanwhile.
const draw = (): void =>
  startTransition(() =>
    root.render(
      <StrictMode>
        <ThemeProvider theme={theme} defaultMode="system">
          <CssBaseline enableColorScheme />
          <QueryClientProvider client={queryClient}>
            <BrowserRouter basename={BASE}>
              <App />
            </BrowserRouter>
          </QueryClientProvider>
        </ThemeProvider>
      </StrictMode>,
    ),
  );
// Its first words stand there already: they stay until all of it can be drawn.
if ((isNobody || hasBegun) && !isVisitor) void firstPage.then(draw);
else draw();
