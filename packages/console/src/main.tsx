import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import '@fontsource-variable/atkinson-hyperlegible-mono/wght.css';
import 'uplot/dist/uPlot.min.css';
import './grid.css';
import { CssBaseline, ThemeProvider } from '@mui/material';
import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { api, keyOf, queryClient } from './api';
import { App } from './App';
import { fetchFirst } from './pages';
import { theme } from './theme';
import { isVisitor } from './visitor';

// What nearly every page needs is asked for at once, not one after the other; whoever is not signed in is told so by the first.
fetchFirst(location.pathname);
for (const name of isVisitor
  ? (['readShared', 'listDevices', 'listKinds'] as const)
  : (['me', 'listDevices', 'listKinds'] as const))
  void queryClient.prefetchQuery({ queryKey: keyOf(name), queryFn: () => api.call(name) });

// Only where the browser trusts the connection: on this machine, or over HTTPS.
if (import.meta.env.PROD && 'serviceWorker' in navigator && !isVisitor)
  void navigator.serviceWorker.register('/worker.js').catch(() => undefined);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <ThemeProvider theme={theme} defaultMode="system">
      <CssBaseline enableColorScheme />
      <QueryClientProvider client={queryClient}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </ThemeProvider>
  </StrictMode>,
);
