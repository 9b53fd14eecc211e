import {
  Box,
  Checkbox,
  FormControlLabel,
  MenuItem,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TextField,
  Typography,
} from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo, useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import {
  CALENDAR_STEPS,
  counted,
  isNumeric,
  isScalar,
  WIDGETS,
  type CalendarStep,
  type Widget,
} from '@peatmoor/core';
import { api, useRead } from '../api';
import { boundsOf, DAY_PERIOD, type Period } from '../charts/period';
import { TimeStrip } from '../charts/TimeStrip';
import { usePeriod } from '../charts/usePeriod';
import { addToDashboard } from '../dashboards/addTo';
import type { Source } from '../dashboards/useCatalogue';
import { useCatalogue, type Catalogue } from '../dashboards/useCatalogue';
import { WidgetFrame } from '../dashboards/WidgetFrame';
import { OtherHistory } from '../history/OtherHistory';
import { useNow } from '../live';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { dates, showClock } from '../parts/time';
import { useAddress } from '../parts/useAddress';
import { useDisplay } from '../parts/useDisplay';
import { useMay } from '../parts/useMay';
import { ink, MONO } from '../theme';

/** Datastreams that are looked back at together at the most. */
const MOST_SHOWN = 24;

/** Looking back at datastreams of one device or several: a chart for each, or for each unit; statistics by the calendar. */
export function History(): ReactNode {
  const catalogue = useCatalogue(null);
  const [show, setShow] = useAddress('show');
  const [older] = useAddress('device');
  const [together, setTogether] = useAddress('together');
  const [search, setSearch] = useState('');
  const [period, setPeriod] = usePeriod(DAY_PERIOD);
  const sources = useMemo(
    () => (catalogue === null ? [] : sourcesOf(catalogue, show, older)),
    [catalogue, show, older],
  );
  if (catalogue === null) return null;
  if (catalogue.devices.length === 0) return <Heading title="History" below="There is no device yet." />;
  const chosen = new Set(sources.map(nameOf));
  const put = (next: Set<string>): void => setShow([...next].slice(0, MOST_SHOWN).join() || 'none');
  const toggle = (name: string): void => {
    const next = new Set(chosen);
    if (!next.delete(name)) next.add(name);
    put(next);
  };
  const groups = together === 'unit' ? groupsOf(sources) : sources.map((one) => [one]);
  const found = devicesFound(catalogue, search);
  return (
    <>
      <Heading
        title="History"
        below={`${sources.length === 0 ? 'Nothing' : names(sources)}, ${period.until === null ? `the last ${period.title}` : period.title}`}
      >
        <AddToDashboard groups={groups} />
      </Heading>
      <Box component="details" open={sources.length === 0} sx={{ mb: 3 }}>
        <Box component="summary" sx={{ cursor: 'pointer', fontWeight: 650, minHeight: 32 }}>
          Choose devices and datastreams
        </Box>
        <TextField
          label="Find a device, a kind or a label"
          value={search}
          onChange={({ target }) => setSearch(target.value)}
          sx={{ maxWidth: 320, my: 2 }}
        />
        <Box sx={{ maxHeight: 320, overflowY: 'auto' }}>
          {found.map(({ device, streams }) => (
            <Box key={device.id} sx={{ borderTop: `1px solid ${ink.faint}`, py: 0.5 }}>
              <Box component="span" sx={{ fontWeight: 650, mr: 2 }}>
                {device.name}
              </Box>
              {streams.map(({ key, title }) => (
                <FormControlLabel
                  key={key}
                  control={
                    <Checkbox
                      size="small"
                      checked={chosen.has(`${device.id}/${key}`)}
                      onChange={() => toggle(`${device.id}/${key}`)}
                    />
                  }
                  label={title}
                />
              ))}
            </Box>
          ))}
        </Box>
      </Box>
      {sources.length > 1 && (
        <FormControlLabel
          control={
            <Checkbox
              checked={together === 'unit'}
              onChange={(_event, on) => setTogether(on ? 'unit' : '')}
            />
          }
          label="those of one unit in one chart"
          sx={{ mb: 1 }}
        />
      )}
      {groups.map((group) => (
        <HistoryRow
          key={group.map(nameOf).join()}
          sources={group}
          period={period}
          onPeriod={setPeriod}
          titled={sources.length > 1}
        />
      ))}
      {sources.length === 0 && (
        <Typography color="textSecondary">
          Choose what to look back at: datastreams of any devices.
        </Typography>
      )}
      <TimeStrip period={period} onChange={setPeriod} />
    </>
  );
}

const nameOf = ({ device, stream }: Source): string => `${device!.id}/${stream.key}`;

/** "Dipwell North: Water level, Battery", or how many there are. */
function names(sources: readonly Source[]): string {
  const devices = [...new Set(sources.map(({ device }) => device!.name))];
  return devices.length === 1
    ? `${devices[0]}: ${sources.map(({ stream }) => stream.title).join(', ')}`
    : `${counted(sources.length, 'datastream')} of ${counted(devices.length, 'device')}`;
}

/** What the address says is shown: `device/datastream`, with commas between; all of one device where it says nothing. */
function sourcesOf(catalogue: Catalogue, show: string, older: string): Source[] {
  const one = catalogue.devices.find(({ id }) => id === older) ?? catalogue.devices[0];
  const wanted =
    show === 'none'
      ? []
      : show !== ''
        ? show.split(',')
        : (catalogue.kinds.find(({ id }) => id === one?.kindId)?.streams ?? [])
            .filter(({ direction }) => direction !== 'control')
            .map(({ key }) => `${one!.id}/${key}`);
  return wanted.slice(0, MOST_SHOWN).flatMap((name) => {
    const [device, stream] = name.split('/');
    const source = catalogue.find({ device: device ?? '', stream: stream ?? '' }, null);
    return source?.device ? [source] : [];
  });
}

/** Those of one unit together; what is no number stands by itself. */
function groupsOf(sources: readonly Source[]): Source[][] {
  const groups = new Map<string, Source[]>();
  for (const source of sources) {
    const { stream } = source;
    const name = isScalar(stream) ? `unit ${stream.unit}` : nameOf(source);
    const group = groups.get(name);
    if (group !== undefined && group.length < WIDGETS.chart.mostSources) group.push(source);
    else groups.set(groups.has(name) ? `${name} ${groups.size}` : name, [source]);
  }
  return [...groups.values()];
}

function devicesFound({ devices, kinds }: Catalogue, search: string) {
  const words = search.toLowerCase().split(/\s+/);
  return devices
    .map((device) => {
      const kind = kinds.find(({ id }) => id === device.kindId);
      const streams = (kind?.streams ?? []).filter(({ direction }) => direction !== 'control');
      return {
        device,
        streams,
        text: `${device.name} ${kind?.title} ${device.labels.join(' ')}`.toLowerCase(),
      };
    })
    .filter(({ streams, text }) => streams.length > 0 && words.every((word) => text.includes(word)))
    .slice(0, 60);
}

/** One chart, or what else a datastream had, and its statistics by the calendar. */
function HistoryRow({
  sources,
  period,
  onPeriod,
  titled,
}: {
  sources: Source[];
  period: Period;
  onPeriod: (period: Period) => void;
  titled: boolean;
}): ReactNode {
  const [step, setStep] = useState<CalendarStep | ''>('');
  const first = sources[0]!;
  const title =
    sources.length > 1
      ? first.stream.title
      : titled
        ? `${first.device!.name}: ${first.stream.title}`
        : first.stream.title;
  if (!isNumeric(first.stream))
    return (
      <Box sx={{ borderTop: `1px solid ${ink.line}`, py: 1.5 }}>
        {titled && <Box sx={{ fontWeight: 650 }}>{first.device!.name}</Box>}
        <OtherHistory device={first.device!.id} stream={first.stream} period={period} />
      </Box>
    );
  const widget: Widget = {
    ...PLAIN,
    id: `history-${nameOf(first)}`,
    title,
    options: { statistics: isScalar(first.stream) },
  };
  return (
    <Box sx={{ pb: 2 }}>
      <Box sx={{ height: first.stream.type === 'boolean' ? 170 : 300 }}>
        <WidgetFrame widget={widget} sources={sources} period={period} onPeriod={onPeriod} arranging={null} />
      </Box>
      {isScalar(first.stream) && (
        <TextField
          select
          label="By the calendar"
          value={step}
          onChange={({ target }) => setStep(target.value as CalendarStep | '')}
          sx={{ width: 180, mt: 1 }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">no table</MenuItem>
          {CALENDAR_STEPS.map((one) => (
            <MenuItem key={one} value={one}>
              each {one}
            </MenuItem>
          ))}
        </TextField>
      )}
      {step !== '' &&
        sources.map((source) => (
          <ByCalendar key={nameOf(source)} source={source} step={step} period={period} />
        ))}
    </Box>
  );
}

/** Rows of a table by the calendar at the most; of more, the newest. */
const MOST_ROWS = 62;

function ByCalendar({
  source,
  step,
  period,
}: {
  source: Source;
  step: CalendarStep;
  period: Period;
}): ReactNode {
  const now = useNow(60_000);
  const { from, to } = boundsOf(period, Math.ceil(now / 60_000) * 60_000);
  const { reading } = useDisplay()(source.stream);
  const device = source.device!;
  const answer = useQuery({
    queryKey: ['calendar', device.id, source.stream.key, step, from, to],
    queryFn: () =>
      api.call('calendar', {
        params: { device: device.id },
        query: {
          stream: source.stream.key,
          from,
          to,
          step,
          zone: dates().zone,
        },
      }),
    placeholderData: keepPreviousData,
  });
  const buckets = (answer.data?.buckets ?? []).slice(-MOST_ROWS).reverse();
  const show = (value: number | null): string => (value === null ? '–' : reading(value));
  return (
    <Box
      sx={{ overflowX: 'auto', mt: 1 }}
      role="region"
      aria-label={`${source.stream.title} of ${device.name} by the calendar`}
      tabIndex={0}
    >
      <Notice error={answer.error} />
      <Table size="small" sx={{ width: 'auto', '& td': { fontFamily: MONO } }}>
        <caption style={{ captionSide: 'top', textAlign: 'left' }}>
          {device.name}: {source.stream.title}, each {step}, the newest first
        </caption>
        <TableHead>
          <TableRow>
            {['from', 'lowest', 'mean', 'highest', 'last', 'readings'].map((name) => (
              <TableCell key={name} align={name === 'from' ? 'left' : 'right'}>
                {name}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {buckets.map((bucket) => (
            <TableRow key={bucket.from}>
              <TableCell>{showClock(bucket.from, step === 'hour' ? now : 0)}</TableCell>
              {[
                show(bucket.min),
                show(bucket.mean),
                show(bucket.max),
                show(bucket.last),
                String(bucket.count),
              ].map((text, i) => (
                <TableCell key={i} align="right">
                  {text}
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

/** Puts the charts that are looked at on a dashboard. */
function AddToDashboard({ groups }: { groups: Source[][] }): ReactNode {
  const dashboards = useRead('listDashboards').data ?? [];
  const navigate = useNavigate();
  const mayChange = useMay('change');
  const [error, setError] = useState<Error | null>(null);
  if (!mayChange || dashboards.length === 0 || groups.length === 0) return null;
  const add = async (id: number): Promise<void> => {
    await addToDashboard(
      id,
      groups.map((group) => {
        const numeric = group.every(
          ({ stream }) => isNumeric(stream) && stream.type !== 'choice' && stream.type !== 'colour',
        );
        const type = numeric ? 'chart' : 'value';
        return {
          type,
          title: '',
          sources: group.map(({ device, stream }) => ({ device: device!.id, stream: stream.key })),
          options: {},
          ...WIDGETS[type].size,
        };
      }),
    );
    await navigate(`/dashboards/${id}`);
  };
  return (
    <Box>
      <TextField
        select
        label="Add to a dashboard"
        value=""
        onChange={({ target }) => void add(Number(target.value)).catch((failure: Error) => setError(failure))}
        sx={{ width: 200 }}
      >
        {dashboards.map(({ id, title }) => (
          <MenuItem key={id} value={id}>
            {title}
          </MenuItem>
        ))}
      </TextField>
      <Notice error={error} />
    </Box>
  );
}

const PLAIN: Widget = {
  id: '',
  type: 'chart',
  title: '',
  sources: [],
  options: {},
  x: 0,
  y: 0,
  w: 12,
  h: 4,
};
