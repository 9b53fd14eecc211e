import { Box } from '@mui/material';
import { createContext, use, useEffect, useId, useState, type ReactNode } from 'react';
import { ink } from '../theme';
import { mayPass } from './again';

type Tell = (who: string, error: Error | null) => void;
const TellContext = createContext<Tell | null>(null);

/** Says of the part of the page around it that something of it could not be fetched; null once it was. */
export function useNotFetched(failure: unknown): void {
  const error = failure instanceof Error ? failure : null;
  const tell = use(TellContext);
  const who = useId();
  useEffect(() => {
    tell?.(who, error);
    return () => tell?.(who, null);
  }, [tell, who, error]);
}

/** A part of the page that says below itself what of it could not be fetched: nobody takes that for nothing measured. */
export function Fetched({ children }: { children: ReactNode }): ReactNode {
  const [failed, setFailed] = useState<ReadonlyMap<string, Error>>(new Map());
  const [tell] = useState<Tell>(() => (who: string, error: Error | null) => {
    setFailed((before) => {
      if (before.get(who) === (error ?? undefined)) return before;
      const next = new Map(before);
      if (error === null) next.delete(who);
      else next.set(who, error);
      return next;
    });
  });
  const [first] = failed.values();
  return (
    <>
      <TellContext value={tell}>{children}</TellContext>
      <Box aria-live="polite" sx={{ flex: 'none' }}>
        {first !== undefined && (
          <Box
            data-not-fetched
            sx={{
              borderLeft: `3px solid ${ink.rowan}`,
              pl: 1,
              fontSize: '0.85rem',
              overflowWrap: 'anywhere',
            }}
          >
            {mayPass(first)
              ? 'Could not be fetched; it is tried again every 5 s. What you see may be older.'
              : `Could not be fetched: ${first.message}`}
          </Box>
        )}
      </Box>
    </>
  );
}
