import { Box } from '@mui/material';
import { useEffect, type ReactNode } from 'react';
import { useRead } from '../api';
import { ink } from '../theme';

/** How many events are open: beside the word, in the title of the page, and on the icon of the installed app. */
export function OpenCount(): ReactNode {
  const counts = useRead('countEvents').data;
  const open = counts?.open ?? 0;
  useEffect(() => {
    const mark = (): void => {
      const bare = document.title.replace(/^\(\d+\) /, '');
      const wanted = open > 0 ? `(${open}) ${bare}` : bare;
      if (document.title !== wanted) document.title = wanted;
    };
    mark();
    // Each page says its own title; the number goes before it.
    const observer = new MutationObserver(mark);
    observer.observe(document.head, { childList: true, subtree: true, characterData: true });
    if ('setAppBadge' in navigator)
      void (open > 0 ? navigator.setAppBadge(open) : navigator.clearAppBadge()).catch(() => undefined);
    return () => observer.disconnect();
  }, [open]);
  if (open === 0) return null;
  return (
    <Box
      component="span"
      role="img"
      aria-label={`${open} open`}
      data-open={open}
      sx={{ color: (counts?.urgent ?? 0) > 0 ? ink.rowan : 'inherit', fontWeight: 700, ml: 0.75 }}
    >
      {open}
    </Box>
  );
}
