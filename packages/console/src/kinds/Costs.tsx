import { Box, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { estimateCost, LINE_WAYS, partOf, showBytes, type LineWay } from '@peatmoor/core';
import type { Kind } from '@peatmoor/contract';
import { Notice } from '../parts/Notice';
import { Section } from '../parts/Heading';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';

/** What a device of the kind sends in a day and stores in a year, before it costs anything. */
export function Costs({ kind }: { kind: Kind }): ReactNode {
  if (kind.streams.length === 0) return null;
  const { lineBytesADay, storedBytesAYear, readingsADay } = estimateCost(kind.streams, kind.intervalS);
  const hasty = kind.streams.filter(({ part }) => (partOf(part)?.shortestS ?? 0) > kind.intervalS);
  return (
    <Section
      title="What it costs"
      note={`One device, a message every ${kind.intervalS} s: ${dates().number(readingsADay)} readings a day. An estimate.`}
    >
      {hasty.map(({ key, title, part }) => (
        <Notice key={key}>
          “{title}” needs {partOf(part)?.shortestS} s between two readings; the interval is shorter.
        </Notice>
      ))}
      <Box
        component="dl"
        data-costs
        sx={{
          m: 0,
          display: 'grid',
          gridTemplateColumns: 'minmax(0, max-content) auto',
          columnGap: 4,
          rowGap: 0.25,
          justifyContent: 'start',
        }}
      >
        {(Object.keys(LINE_WAYS) as LineWay[]).map((way) => (
          <Line
            key={way}
            name={LINE_WAYS[way]}
            value={`${showBytes(lineBytesADay[way])} a day on the line`}
          />
        ))}
        <Line
          name="In the database"
          value={`${showBytes(storedBytesAYear.least)} to ${showBytes(storedBytesAYear.most)} a year`}
        />
      </Box>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>
        Both ways, with acknowledgements and the headers of TCP and IP; pictures are reckoned at 60 kB.
      </Typography>
    </Section>
  );
}

function Line({ name, value }: { name: string; value: string }): ReactNode {
  return (
    <>
      <Box component="dt" sx={{ color: ink.soft }}>
        {name}
      </Box>
      <Box component="dd" sx={{ m: 0, fontFamily: MONO, fontSize: '0.9rem' }}>
        {value}
      </Box>
    </>
  );
}
