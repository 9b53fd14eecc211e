import { Box, Button } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary';
import { useLocation } from 'react-router';
import { ink } from '../theme';
import { Heading } from './Heading';

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** Whatever a page trips over, the way to the others stays. */
export function PageBoundary({ children }: { children: ReactNode }): ReactNode {
  const { pathname } = useLocation();
  return (
    <ErrorBoundary FallbackComponent={BrokenPage} resetKeys={[pathname]}>
      {children}
    </ErrorBoundary>
  );
}

function BrokenPage({ error }: FallbackProps): ReactNode {
  return (
    <>
      <Heading title="This page could not be drawn" below={messageOf(error)} />
      <Button onClick={() => location.reload()}>Load it anew</Button>
    </>
  );
}

/** Whatever one widget trips over, the others go on. */
export function WidgetBoundary({ children }: { children: ReactNode }): ReactNode {
  const client = useQueryClient();
  return (
    <ErrorBoundary
      FallbackComponent={BrokenWidget}
      // What it was drawn from is asked for again: it may be what was wrong.
      onReset={() => client.removeQueries({ type: 'inactive' })}
    >
      {children}
    </ErrorBoundary>
  );
}

function BrokenWidget({ error, resetErrorBoundary }: FallbackProps): ReactNode {
  return (
    <Box role="alert" sx={{ height: '100%', overflow: 'auto', fontSize: '0.9rem', overflowWrap: 'anywhere' }}>
      <Box sx={{ color: ink.rowan }}>This widget could not be drawn: {messageOf(error)}</Box>
      <Button variant="text" size="small" onClick={resetErrorBoundary} sx={{ p: 0 }}>
        Try again
      </Button>
    </Box>
  );
}
