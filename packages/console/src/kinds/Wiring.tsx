import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { wiringShapes, type Wired } from '@peatmoor/core';
import { Drawn } from '../dashboards/widgets/Drawn';
import { ink } from '../theme';

/** What is wired to what: a small drawing a part, the same in words for whoever hears it, and what a loose wire looks like. */
export function Wiring({ wired }: { wired: readonly Wired[] }): ReactNode {
  return (
    <Box data-wiring sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 5, rowGap: 2, mt: 1 }}>
      {wired.map(({ title, part, lines, looseWords }) => {
        const { shapes, width, height } = wiringShapes(part, lines);
        return (
          <Box key={`${title} ${part}`} component="figure" sx={{ m: 0, maxWidth: '100%' }}>
            <Box component="figcaption" sx={{ fontWeight: 700 }}>
              {title}
            </Box>
            <svg
              viewBox={`0 0 ${width} ${height}`}
              style={{ width, maxWidth: '100%', display: 'block' }}
              role="img"
              aria-label={lines.map(([from, to]) => `${from} → ${to}`).join(', ')}
            >
              <Drawn shapes={shapes} />
            </svg>
            {looseWords !== '' && (
              <Box sx={{ color: ink.soft, fontSize: '0.85rem', maxWidth: 420 }}>
                A loose wire: {looseWords.charAt(0).toLowerCase() + looseWords.slice(1)}
              </Box>
            )}
          </Box>
        );
      })}
      {wired.some(({ untried }) => untried) && (
        <Box sx={{ color: ink.soft, fontSize: '0.85rem', width: '100%' }}>
          Worked out from data sheets; not yet tried on a board by anybody we know.
        </Box>
      )}
    </Box>
  );
}
