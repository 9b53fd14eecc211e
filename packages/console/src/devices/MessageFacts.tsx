import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import {
  counted,
  calibrate,
  isScalar,
  keptUnitOf,
  orderSteps,
  sendAgainLine,
  showReading,
  shownSteps,
} from '@peatmoor/core';
import type { Arrival, Kind } from '@peatmoor/contract';
import { useRead } from '../api';
import { CopyButton } from '../parts/Copyable';
import { dates, showSeconds } from '../parts/time';
import { useDisplay } from '../parts/useDisplay';
import { ink, MONO } from '../theme';

/** The message itself: when it came and from where, how large, how written, what it said, and how that is shown. */
export function MessageFacts({ arrival, kind }: { arrival: Arrival; kind: Kind | undefined }): ReactNode {
  const address = useRead('me').data?.address;
  const again = address && sendAgainLine(arrival, address);
  return (
    <Box sx={{ my: 1, pl: 1.5, borderLeft: `3px solid ${ink.line}`, fontSize: '0.9rem' }} data-message>
      <Box sx={{ color: ink.soft }}>
        received {dates().exact(arrival.receivedAt)}
        {arrival.from && ` from ${arrival.from}`}, {counted(arrival.size, 'byte')},{' '}
        {arrival.form || 'no body'}
      </Box>
      {arrival.payload && (
        <Box
          component="pre"
          sx={{ m: 0, mt: 0.5, fontFamily: MONO, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}
        >
          {arrival.payload}
        </Box>
      )}
      {kind !== undefined && arrival.accepted.length > 0 && <SentAndShown arrival={arrival} kind={kind} />}
      {again && (
        <Box sx={{ mt: 1 }}>
          <CopyButton
            text={again}
            label={`Copy it as ${/mosquitto_pub/.test(again) ? 'mosquitto_pub' : 'curl'}`}
          />
        </Box>
      )}
    </Box>
  );
}

/** What was sent beside what is shown of it: made right by calibrations, in the units of whoever looks. */
function SentAndShown({ arrival, kind }: { arrival: Arrival; kind: Kind }): ReactNode {
  const calibrations = useRead('listCalibrations', { params: { device: arrival.deviceId } }).data ?? [];
  const displayOf = useDisplay();
  return (
    <Box
      component="table"
      sx={{
        mt: 0.75,
        borderCollapse: 'collapse',
        '& td, & th': { pr: 3, textAlign: 'left', fontWeight: 400 },
      }}
    >
      <Box component="thead" sx={{ color: ink.soft }}>
        <tr>
          <th>datastream</th>
          <th>measured</th>
          <th>sent</th>
          <th>shown</th>
        </tr>
      </Box>
      <Box component="tbody" sx={{ fontFamily: MONO, fontSize: '0.85rem' }}>
        {arrival.accepted.map(({ key, at, value }, i) => {
          const stream = kind.streams.find((one) => one.key === key);
          if (stream === undefined) return null;
          const steps = orderSteps(
            calibrations
              .filter((one) => one.stream === key)
              .map(({ from, calibration }) => ({ from, calibration }))
              .reverse(),
          );
          const right =
            typeof value === 'number' && isScalar(stream)
              ? calibrate(shownSteps(stream, steps), at, value)
              : value;
          const sent = dates().figure(showReading({ ...stream, unit: keptUnitOf(stream) }, value));
          const shown = displayOf(stream).reading(right);
          return (
            <tr key={`${key}${i}`}>
              <td>{key}</td>
              <td>{showSeconds(at)}</td>
              <td>{sent}</td>
              <td style={shown === sent ? undefined : { color: ink.pool, fontWeight: 700 }}>{shown}</td>
            </tr>
          );
        })}
      </Box>
    </Box>
  );
}
