import { Box, Button, ButtonBase } from '@mui/material';
import { memo, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { showReading } from '@peatmoor/core';
import type { Arrival, Kind } from '@peatmoor/contract';
import { dates, showSeconds } from '../parts/time';
import { ink, MONO } from '../theme';
import { MessageFacts } from './MessageFacts';

/** Values of a message that stand in its row; the others once it is opened. */
const MOST_SHOWN = 16;

/** One message: when it came, how, what of it was accepted, and what was refused and why. Pressed, the message itself. */
export const ArrivalRow = memo(function ArrivalRow({
  arrival,
  kind,
  deviceName,
  onAdopt,
}: {
  arrival: Arrival;
  kind: Kind | undefined;
  /** Said where messages of several devices are listed. */
  deviceName?: string | undefined;
  onAdopt: (name: string, shown: string) => void;
}): ReactNode {
  const measured = arrival.accepted[0]?.at;
  const [open, setOpen] = useState(false);
  const shown = open ? arrival.accepted : arrival.accepted.slice(0, MOST_SHOWN);
  return (
    <Box
      data-arrival
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '92px 84px 1fr' },
        columnGap: 2,
        borderTop: `1px solid ${ink.faint}`,
        py: 0.75,
        alignItems: 'baseline',
      }}
    >
      <Box
        sx={{ fontFamily: MONO, fontSize: '0.9rem' }}
        title={`received ${new Date(arrival.receivedAt).toISOString()} from ${arrival.from}`}
      >
        <ButtonBase
          onClick={() => setOpen(!open)}
          aria-expanded={open}
          aria-label={`message of ${showSeconds(arrival.receivedAt)}`}
          sx={{ font: 'inherit', textDecoration: 'underline dotted', textUnderlineOffset: '0.25em' }}
        >
          {showSeconds(arrival.receivedAt)}
        </ButtonBase>
      </Box>
      <Box sx={{ color: ink.soft, fontSize: '0.85rem' }}>
        {arrival.way}
        {arrival.number !== null && ` #${arrival.number}`}
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2 }}>
          {deviceName !== undefined && (
            <Box component={Link} to={`/devices/${arrival.deviceId}`} sx={{ fontWeight: 700 }}>
              {deviceName}
            </Box>
          )}
          {shown.map(({ key, value }, i) => {
            const stream = kind?.streams.find((one) => one.key === key);
            return (
              <span key={`${key}${i}`}>
                <span style={{ color: ink.soft }}>{key}</span>{' '}
                <b style={{ fontFamily: MONO, fontWeight: 500 }}>
                  {stream ? dates().figure(showReading(stream, value)) : JSON.stringify(value)}
                </b>
              </span>
            );
          })}
          {arrival.acceptedCount > shown.length && (
            <span>and {arrival.acceptedCount - shown.length} more</span>
          )}
          {measured !== undefined && Math.abs(arrival.receivedAt - measured) > 1500 && (
            <span style={{ color: ink.soft, fontSize: '0.85rem' }}>measured {dates().exact(measured)}</span>
          )}
        </Box>
        {arrival.refused.map(({ name, reason, hint, shown }, i) => (
          <Box key={i} sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'baseline' }}>
            <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
              <Box component="span" sx={{ color: ink.rowan, fontWeight: 700 }}>
                {[name, shown && `= ${shown}`].filter(Boolean).join(' ')} {reason}
              </Box>{' '}
              <span style={{ fontSize: '0.95rem' }}>{hint}</span>
            </Box>
            {reason === 'unknown-name' &&
              kind !== undefined &&
              !kind.streams.some(({ key, aliases }) => key === name || aliases.includes(name)) && (
                <Button size="small" onClick={() => onAdopt(name, shown)}>
                  Make “{name}” a datastream
                </Button>
              )}
          </Box>
        ))}
        {open && <MessageFacts arrival={arrival} kind={kind} />}
      </Box>
    </Box>
  );
});
