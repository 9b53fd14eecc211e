import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import {
  counted,
  isReportable,
  isScalar,
  keptUnitOf,
  showReading,
  showUnit,
  throughPoints,
  zeroAt,
  type Calibration,
} from '@peatmoor/core';
import type { Kind, NewCalibration } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';
import { Capture, type Captured } from './Capture';
import { serviceNow } from '../live/clock';

const WAYS = {
  zero: 'make this zero',
  'two points': 'two points that are known',
  linear: 'scale and offset',
  table: 'a table',
} as const;
type Way = keyof typeof WAYS;

/** Letters of a name that has no room above a short field. */
const LONG_LABEL = 18;

/** Makes values right: what is stored stays as it came, so that every calibration can be taken back. */
export function Calibrate({ device, kind }: { device: string; kind: Kind }): ReactNode {
  const streams = kind.streams.filter((stream) => isScalar(stream) && isReportable(stream));
  const kept = useRead('listCalibrations', { params: { device } });
  const look = useChange('createCalibration');
  const readings = useChange('createCalibration');
  const create = useChange('createCalibration', ['listCalibrations', 'readDevice', 'history', 'overview']);
  const remove = useChange('deleteCalibration', ['listCalibrations', 'readDevice', 'history', 'overview']);
  const [key, setKey] = useState(streams[0]?.key ?? '');
  const [way, setWay] = useState<Way>('zero');
  const [fields, setFields] = useState<Record<string, string>>({ scale: '1', offset: '0' });
  const [captured, setCaptured] = useState<Captured | null>(null);
  const [period, setPeriod] = useState<'now' | 'all'>('now');
  const found = streams.find((one) => one.key === key);
  if (found === undefined) return <Box sx={{ color: ink.soft }}>This kind has no numbers to make right.</Box>;
  // Calibrations are made of what is kept, whatever it is shown in.
  const stream = { ...found, unit: keptUnitOf(found) };
  const measured = async () =>
    (
      await readings.mutateAsync({
        params: { device },
        body: { stream: key, calibration: { form: 'linear', scale: 1, offset: 0 }, try: true },
      })
    ).preview;
  const calibration = calibrationOf(way, fields);
  const forget = (): void => (look.reset(), create.reset());
  const set = (name: string) => (value: string) => (
    setFields((all) => ({ ...all, [name]: value })),
    forget()
  );
  const bodyOf = (
    found: Calibration,
  ): Pick<NewCalibration, 'stream' | 'calibration'> & Partial<NewCalibration> => ({
    stream: key,
    calibration: found,
    from: period === 'now' ? serviceNow() : null,
    captured: captured && referenceOf(way, fields, captured),
  });
  const take = (value: Captured): void => {
    setCaptured(value);
    set(way === 'two points' && fields.measuredA ? 'measuredB' : 'measuredA')(String(value.mean));
  };
  const number = (name: string, label: string, wide = false) => (
    <TextField
      label={label}
      type={wide ? 'text' : 'number'}
      value={fields[name] ?? ''}
      onChange={({ target }) => set(name)(target.value)}
      sx={{ width: wide ? 360 : label.length > LONG_LABEL ? 210 : 150, maxWidth: '100%' }}
      multiline={wide}
      placeholder={wide ? '0 0\n512 250\n1023 480' : ''}
      slotProps={{ htmlInput: { step: 'any' }, inputLabel: { shrink: true } }}
    />
  );
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end' }}>
        <Pick label="Datastream" value={key} onChange={(value) => (setKey(value), forget())}>
          {streams.map((one) => [one.key, one.title])}
        </Pick>
        <Pick label="By" value={way} onChange={(value) => (setWay(value as Way), forget())}>
          {Object.entries(WAYS)}
        </Pick>
        {way === 'zero' && number('measuredA', 'Measured when truly zero')}
        {way === 'two points' && (
          <>
            {number('measuredA', 'Measured first')}
            {number('trueA', 'was truly')}
            {number('measuredB', 'Measured second')}
            {number('trueB', 'was truly')}
          </>
        )}
        {way === 'linear' && (
          <>
            {number('scale', 'Times')}
            {number('offset', 'plus')}
          </>
        )}
        {keptUnitOf(found) !== found.unit && (
          <Box sx={{ alignSelf: 'center', color: ink.soft }}>
            measured and true in {showUnit(stream.unit)}
          </Box>
        )}
        {way === 'table' && number('table', 'Measured and true, a pair a line', true)}
        <Pick label="Holds" value={period} onChange={(value) => (setPeriod(value as 'now'), forget())}>
          {[
            ['now', 'from now on'],
            ['all', 'over all history'],
          ]}
        </Pick>
      </Box>
      {(way === 'zero' || way === 'two points') && (
        <Capture stream={stream} measured={measured} onTaken={take} />
      )}
      <Box sx={{ display: 'flex', gap: 2, mt: 2 }}>
        <Button
          disabled={calibration === null}
          onClick={() => look.mutate({ params: { device }, body: { ...bodyOf(calibration!), try: true } })}
        >
          Look at it first
        </Button>
        <Button
          variant="contained"
          color="primary"
          disabled={calibration === null || create.isPending}
          onClick={() => create.mutate({ params: { device }, body: bodyOf(calibration!) })}
        >
          Keep it
        </Button>
      </Box>
      <Notice error={look.error ?? create.error ?? remove.error} />
      {create.data && (
        <Notice tone="good">It holds now, here, on dashboards, in history and in event rules.</Notice>
      )}
      {look.data && !create.data && (
        <Box sx={{ mt: 1, fontFamily: MONO, fontSize: '0.9rem' }}>
          {look.data.preview.length === 0 && 'There are no readings of the last thirty days to show it on.'}
          {look.data.preview.slice(-5).map(([at, measured, shown]) => (
            <div key={at}>
              {dates().exact(at)} {dates().figure(showReading(stream, measured))} →{' '}
              {dates().figure(showReading(stream, shown))}
            </div>
          ))}
        </Box>
      )}
      {kept.data?.map((one) => (
        <Box
          key={one.id}
          sx={{
            display: 'flex',
            gap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 1,
            mt: 1,
          }}
        >
          <Box sx={{ flex: 1 }}>
            <b>{kind.streams.find((found) => found.key === one.stream)?.title ?? one.stream}</b>{' '}
            {showCalibration(one.calibration)},{' '}
            {one.from === null ? 'over all history' : `from ${dates().dateTime(one.from)}`}
            <Box component="span" sx={{ color: ink.soft }}>
              , by {one.by}
              {one.errorBefore !== null &&
                one.errorAfter !== null &&
                `; error ${dates().figure(one.errorBefore.toFixed(1))} % before, ${dates().figure(one.errorAfter.toFixed(1))} % after`}
            </Box>
          </Box>
          <Button size="small" onClick={() => remove.mutate({ params: { device, calibration: one.id } })}>
            Take it back
          </Button>
        </Box>
      ))}
    </>
  );
}

function Pick({
  label,
  value,
  onChange,
  children,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  children: [string, string][];
}): ReactNode {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={({ target }) => onChange(target.value)}
      sx={{ width: 255 }}
    >
      {children.map(([one, words]) => (
        <MenuItem key={one} value={one}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** The calibration that the fields say, or null while they are not whole. */
function calibrationOf(way: Way, fields: Record<string, string>): Calibration | null {
  const read = (name: string): number =>
    (fields[name] ?? '').trim() === '' ? Number.NaN : Number(fields[name]);
  if (way === 'zero') return Number.isFinite(read('measuredA')) ? zeroAt(read('measuredA')) : null;
  if (way === 'linear') {
    const line: Calibration = { form: 'linear', scale: read('scale'), offset: read('offset') };
    return Number.isFinite(line.scale + line.offset) ? line : null;
  }
  if (way === 'two points') {
    const [a, b, trueA, trueB] = ['measuredA', 'measuredB', 'trueA', 'trueB'].map(read) as [
      number,
      number,
      number,
      number,
    ];
    return Number.isFinite(a + b + trueA + trueB) && a !== b ? throughPoints([a, trueA], [b, trueB]) : null;
  }
  const points = (fields.table ?? '')
    .split('\n')
    .map((line) =>
      line
        .trim()
        .split(/[\s,;]+/)
        .map(Number),
    )
    .filter((pair) => pair.length === 2 && pair.every(Number.isFinite)) as [number, number][];
  return points.length >= 2 ? { form: 'table', points } : null;
}

function referenceOf(
  way: Way,
  fields: Record<string, string>,
  { mean, spread, seconds }: Captured,
): NewCalibration['captured'] {
  const reference =
    way === 'zero' ? 0 : Number(fields.measuredB === String(mean) ? fields.trueB : fields.trueA);
  return Number.isFinite(reference) ? { reference, measured: mean, spread, seconds } : null;
}

function showCalibration(calibration: Calibration): string {
  if (calibration.form === 'table') return `by a table of ${counted(calibration.points.length, 'point')}`;
  const { scale, offset } = calibration;
  const tidy = (value: number): number => Number(value.toPrecision(6));
  return `× ${tidy(scale)} ${offset < 0 ? '−' : '+'} ${tidy(Math.abs(offset))}`;
}
