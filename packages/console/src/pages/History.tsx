import { Box, Checkbox, FormControlLabel, MenuItem, TextField, Typography } from '@mui/material';
import { Suspense, useMemo, useState, type ReactNode, type SyntheticEvent } from 'react';
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
import { useRead } from '../api';
import { DAY_PERIOD, type Period } from '../charts/period';
import { TimeStrip } from '../charts/TimeStrip';
import { usePeriod } from '../charts/usePeriod';
import { addToDashboard } from '../dashboards/addTo';
import type { Source } from '../dashboards/useCatalogue';
import { useCatalogue, type Catalogue } from '../dashboards/useCatalogue';
import { WidgetFrame } from '../dashboards/WidgetFrame';
import { Heading } from '../parts/Heading';
import { later } from '../parts/later';
import { Notice } from '../parts/Notice';
import { useAddress } from '../parts/useAddress';
import { useMay } from '../parts/useMay';
import { ink } from '../theme';

const ByCalendar = later(() => import('../history/ByCalendar'), 'ByCalendar');
const OtherHistory = later(() => import('../history/OtherHistory'), 'OtherHistory');
const SourceChoice = later(() => import('../history/SourceChoice'), 'SourceChoice');

/** Datastreams that are looked back at together at the most. */
const MOST_SHOWN = 24;
/** What a chart takes with its names, notes and statistics, in px. */
const CHART_PX = 360;
/** What each further line of a chart takes in its legend and statistics, in px. */
const MORE_PX = 34;

/** Looking back at datastreams of one device or several: a chart for each, or for each unit; statistics by the calendar. */
export function History(): ReactNode {
  const catalogue = useCatalogue(null);
  const [show, setShow] = useAddress('show');
  const [older] = useAddress('device');
  const [together, setTogether] = useAddress('together');
  const [choosing, setChoosing] = useState<boolean | null>(null);
  const [period, setPeriod] = usePeriod(DAY_PERIOD);
  const sources = useMemo(
    () => (catalogue === null ? [] : sourcesOf(catalogue, show, older)),
    [catalogue, show, older],
  );
  if (catalogue === null) return null;
  if (catalogue.devices.length === 0) return <Heading title="History" below="There is no device yet." />;
  const chosen = new Set(sources.map(nameOf));
  const put = (next: Set<string>): void => {
    // Whoever chooses goes on choosing: the list closes only by hand.
    setChoosing(true);
    setShow([...next].slice(0, MOST_SHOWN).join() || 'none');
  };
  const groups = together === 'unit' ? groupsOf(sources) : sources.map((one) => [one]);
  return (
    <>
      <Heading
        title="History"
        below={`${sources.length === 0 ? 'Nothing' : names(sources)}, ${period.until === null ? `the last ${period.title}` : period.title}`}
      >
        <AddToDashboard groups={groups} />
      </Heading>
      <Box
        component="details"
        open={choosing ?? sources.length === 0}
        onToggle={({ currentTarget }: SyntheticEvent<HTMLDetailsElement>) => setChoosing(currentTarget.open)}
        sx={{ mb: 3 }}
      >
        <Box component="summary" sx={{ cursor: 'pointer', fontWeight: 650, minHeight: 32 }}>
          Choose devices and datastreams
        </Box>
        {(choosing ?? sources.length === 0) && (
          <Suspense>
            <SourceChoice catalogue={catalogue} chosen={chosen} most={MOST_SHOWN} onChoose={put} />
          </Suspense>
        )}
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
        <Suspense>
          <OtherHistory device={first.device!.id} stream={first.stream} period={period} />
        </Suspense>
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
      <Box
        sx={{ height: (first.stream.type === 'boolean' ? 170 : CHART_PX) + (sources.length - 1) * MORE_PX }}
      >
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
      {step !== '' && (
        <Suspense>
          {sources.map((source) => (
            <ByCalendar key={nameOf(source)} source={source} step={step} period={period} />
          ))}
        </Suspense>
      )}
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
