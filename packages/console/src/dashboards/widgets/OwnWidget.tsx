import { Box, Button } from '@mui/material';
import { useColorScheme } from '@mui/material/styles';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import {
  DARK_INKS,
  isControllable,
  LIGHT_INKS,
  optionOf,
  OWN_THEME,
  ownPage,
  isQuiet,
  readFromOwn,
  sampleValue,
  type FromOwn,
  type OwnStream,
  type OwnTheme,
  type ToOwn,
} from '@peatmoor/core';
import { under } from '../../base';
import { api, newKey, useRead } from '../../api';
import { liveStore, serviceNow, useLive } from '../../live';
import { useAskFirst } from '../../devices/useAskFirst';
import { useAsk } from '../../parts/Ask';
import { useDisplay } from '../../parts/useDisplay';
import { useMay } from '../../parts/useMay';
import { ink } from '../../theme';
import type { Source } from '../useCatalogue';
import type { DrawnWidget, WidgetProps } from './drawn';

/** How often it is told of new values at the most, in ms, and looked at whether a value has grown old. */
const TELL_MS = 250;
const LOOK_MS = 5000;
/** Messages that it may send in a second; what sends more is stopped. */
const MOST_A_SECOND = 20;
const PRESS_MS = 5000;
/** What was answered when a widget wanted to steer, by its code and the control: asked once on a page. */
const answered = new Map<string, boolean>();

type Tell = (message: ToOwn) => void;

/** A page of the maker's own in a frame that can reach nothing: it is told values, and may ask for values to be wanted. */
function OwnBody({ widget, all: sources, editing }: WidgetProps): ReactNode {
  const code = String(optionOf(widget, 'code') ?? '');
  const theme = useOwnTheme();
  const frame = useRef<HTMLIFrameElement>(null);
  const [trouble, setTrouble] = useState('');
  const [run, setRun] = useState(0);
  const ready = useRef(false);
  const tell: Tell = (message) => frame.current?.contentWindow?.postMessage(message, '*');
  const values = useValues(widget.title, sources, theme);
  const want = useWanting(code, sources, editing);
  // What listens below is set up once a run; it finds here what is newest.
  const now = useRef({ tell, values, want, theme });
  useEffect(() => {
    now.current = { tell, values, want, theme };
    if (ready.current) tell(values());
  });

  useEffect(() => {
    ready.current = false;
    setTrouble('');
    let second = 0;
    let count = 0;
    const hear = ({ source, data }: MessageEvent<unknown>): void => {
      if (source === null || source !== frame.current?.contentWindow) return;
      const this_ = Math.floor(performance.now() / 1000);
      count = this_ === second ? count + 1 : 1;
      second = this_;
      if (count > MOST_A_SECOND) {
        window.removeEventListener('message', hear);
        frame.current.src = 'about:blank';
        setTrouble(`It sent more than ${MOST_A_SECOND} messages in a second, and was stopped.`);
        return;
      }
      const { current } = now;
      if ((data as { kind?: unknown } | null)?.kind === 'loaded') {
        frame.current.contentWindow?.postMessage({ page: ownPage(code, current.theme) }, '*');
        return;
      }
      const said = readFromOwn(data, sources.length);
      if ('wrong' in said) setTrouble(`${said.wrong[0]!.toUpperCase()}${said.wrong.slice(1)}.`);
      else if (said.kind === 'error') setTrouble(said.text);
      else if (said.kind === 'want') void current.want(said).then((outcome) => now.current.tell(outcome));
      else {
        ready.current = true;
        current.tell(current.values());
      }
    };
    window.addEventListener('message', hear);
    const pass = (): void => void (ready.current && now.current.tell(now.current.values()));
    let planned = 0;
    const end = liveStore.subscribe(() => {
      planned ||= window.setTimeout(() => {
        planned = 0;
        pass();
      }, TELL_MS);
    });
    const timer = setInterval(pass, LOOK_MS);
    return () => {
      window.removeEventListener('message', hear);
      end();
      clearTimeout(planned);
      clearInterval(timer);
    };
  }, [code, sources.length, theme.scheme, run]);

  if (code.trim() === '')
    return <Box sx={{ color: ink.soft }}>Nothing of it is written yet. Write its HTML and script.</Box>;
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', minHeight: 0 }}>
      {trouble !== '' && (
        <Box role="alert" sx={{ fontSize: '0.85rem', color: ink.rowan, overflowWrap: 'anywhere' }}>
          {trouble}{' '}
          <Button size="small" onClick={() => setRun(run + 1)}>
            Run it again
          </Button>
        </Box>
      )}
      <iframe
        key={`${theme.scheme} ${run} ${code}`}
        ref={frame}
        title={widget.title || 'Widget of your own'}
        sandbox="allow-scripts"
        referrerPolicy="no-referrer"
        src={under('/own-widget')}
        style={{ border: 0, width: '100%', flex: 1, minHeight: 0, colorScheme: theme.scheme }}
      />
    </Box>
  );
}

function useOwnTheme(): OwnTheme {
  const { mode, systemMode } = useColorScheme();
  const scheme = (mode === 'system' ? systemMode : mode) ?? 'light';
  const inks: Record<string, string> = { ...(scheme === 'dark' ? DARK_INKS : LIGHT_INKS) };
  const named = OWN_THEME.map((name) => [name, inks[name]!] as const);
  return { scheme, ...(Object.fromEntries(named) as Record<(typeof OWN_THEME)[number], string>) };
}

/** What it is told of a datastream that is gone, or not shown to whoever looks. */
const GONE: Omit<OwnStream, 'index'> = {
  device: '',
  deviceName: '',
  key: '',
  title: '',
  type: '',
  unit: '',
  min: null,
  max: null,
  steers: false,
  state: 'absent',
  value: null,
  at: null,
  text: '',
};

/** Gives what the widget is told: each datastream with its newest value, as it is now. */
function useValues(title: string, sources: readonly (Source | null)[], theme: OwnTheme): () => ToOwn {
  const display = useDisplay();
  const { lostAt } = useLive();
  const devices = [...new Set(sources.flatMap((source) => source?.device?.id ?? []))].sort().join();
  useEffect(() => {
    const ends = devices.split(',').flatMap((id) => (id === '' ? [] : [liveStore.show('devices', id)]));
    return () => ends.forEach((end) => end());
  }, [devices]);
  return () => {
    const now = lostAt ?? serviceNow();
    const streams = sources.map((source, index): OwnStream => {
      if (source === null) return { ...GONE, index };
      const { device, stream, kind } = source;
      const newest = device === null ? undefined : liveStore.newest(device.id, stream.key);
      const value = device === null ? sampleValue(stream, now) : newest?.value;
      const old = newest !== undefined && isQuiet(newest.at, kind.intervalS, now);
      return {
        index,
        device: device?.id ?? '',
        deviceName: device?.name ?? '',
        key: stream.key,
        title: stream.title,
        type: stream.type,
        unit: display(stream).unit,
        min: stream.min,
        max: stream.max,
        steers: isControllable(stream),
        state: device === null ? 'sample' : newest === undefined ? 'absent' : old ? 'old' : 'fresh',
        value: value ?? null,
        at: newest?.at ?? null,
        text: value === undefined ? '' : display(stream).reading(value),
      };
    });
    return { kind: 'values', title, theme, streams };
  };
}

/** Wants a value for the widget, with the rights of whoever looks, once they have agreed to it. */
function useWanting(
  code: string,
  sources: readonly (Source | null)[],
  editing: boolean,
): (wish: FromOwn & { kind: 'want' }) => Promise<ToOwn> {
  const ask = useAsk();
  const askFirst = useAskFirst();
  const { lostAt } = useLive();
  const asking = useRef(false);
  const mayAll = useMay('operate');
  // What is granted to be steered is known to the service: it says so where a wish goes further.
  const may = (useRead('me').data?.steers ?? false) || mayAll;
  const allowed = async (device: string, name: string, stream: string): Promise<string | null> => {
    const key = JSON.stringify([device, stream, code]);
    if (!answered.has(key)) {
      // One question at a time: what comes meanwhile is refused, not queued.
      if (asking.current) return 'It is being asked whether this widget may steer.';
      asking.current = true;
      const yes = await ask({
        title: 'May this widget steer?',
        text: `A widget of this dashboard wants to set “${stream}” of ${name}. It does so as if you had pressed it, for as long as this page is open.`,
        action: 'Let it steer',
      }).finally(() => (asking.current = false));
      answered.set(key, yes);
    }
    return answered.get(key) === true
      ? null
      : 'You did not let this widget steer. Load the page anew to be asked again.';
  };
  return async ({ stream: index, value, id }) => {
    const refused = (reason: string): ToOwn => ({ kind: 'wanted', id, state: 'refused', reason });
    const source = sources[index] ?? null;
    if (source === null) return refused('This datastream is gone, or not yours to steer.');
    const { device, stream } = source;
    if (device === null) return refused('No device is chosen.');
    if (!isControllable(stream)) return refused(`${stream.title} cannot be steered: it only reports.`);
    if (!may) return refused('You may look, not steer.');
    if (editing) return refused('The dashboard is being arranged.');
    if (lostAt !== null || !navigator.onLine) return refused('Not connected: nothing was sent.');
    const barred = await allowed(device.id, device.name, stream.title);
    if (barred !== null) return refused(barred);
    if (!(await askFirst(device.name, stream, value)))
      return refused('It was asked first, and not agreed to.');
    try {
      await api.call('createCommand', {
        params: { device: device.id },
        body: { stream: stream.key, value, until: Math.ceil(serviceNow() + PRESS_MS) },
        once: newKey(),
        withinMs: PRESS_MS,
      });
      return { kind: 'wanted', id, state: 'sent', reason: '' };
    } catch (error) {
      return refused((error as Error).message);
    }
  };
}

export const own: DrawnWidget = { Body: OwnBody, phoneHeight: 240 };
