/** Names of the theme that a widget of one's own is given, as CSS variables of its page. */
export const OWN_THEME = [
  'paper',
  'ink',
  'soft',
  'line',
  'pool',
  'heather',
  'moss',
  'rowan',
  'gorse',
] as const;
export type OwnTheme = Record<(typeof OWN_THEME)[number], string> & { scheme: 'light' | 'dark' };

/** One datastream as a widget of one's own is told of it. */
export interface OwnStream {
  /** Its place among the datastreams of the widget, from 0: by this it is named where a value is wanted. */
  index: number;
  device: string;
  deviceName: string;
  key: string;
  title: string;
  type: string;
  /** As people write it; empty for none. */
  unit: string;
  min: number | null;
  max: number | null;
  /** True where a value may be wanted of it. */
  steers: boolean;
  /** fresh, old (longer ago than three intervals), absent, or sample (no device is chosen). */
  state: 'fresh' | 'old' | 'absent' | 'sample';
  /** The newest value, when it was (epoch ms), and how people read it, with its unit. */
  value: unknown;
  at: number | null;
  text: string;
}

/** What a page tells the widget, and what the widget may tell the page. */
export type ToOwn =
  | { kind: 'values'; title: string; theme: OwnTheme; streams: OwnStream[] }
  | { kind: 'wanted'; id: unknown; state: 'sent' | 'refused'; reason: string };
export type FromOwn =
  | { kind: 'ready' }
  | { kind: 'want'; stream: number; value: number | boolean | string; id?: unknown }
  | { kind: 'error'; text: string };

/** What stands before the maker's own: errors are told, and the colours are there. */
function before({ scheme, ...inks }: OwnTheme): string {
  const variables = OWN_THEME.map((name) => `--${name}:${inks[name]}`).join(';');
  return (
    `<!doctype html><meta charset="utf-8"><style>:root{color-scheme:${scheme};${variables}}` +
    'html,body{margin:0;height:100%;background:transparent;color:var(--ink);font:16px/1.4 sans-serif}</style>' +
    '<script>{const tell=(text)=>parent.postMessage({kind:"error",text},"*");' +
    'addEventListener("error",(e)=>tell(e.message));' +
    'addEventListener("unhandledrejection",(e)=>tell(String(e.reason&&e.reason.message||e.reason)))}</script>'
  );
}

/** The whole page of a widget of one's own. */
export function ownPage(code: string, theme: OwnTheme): string {
  return before(theme) + code;
}

/** What is wrong with what a frame sent; else what it says. Anything may come from there. */
export function readFromOwn(data: unknown, streams: number): FromOwn | { wrong: string } {
  if (typeof data !== 'object' || data === null) return { wrong: 'a message must be an object with a kind' };
  const { kind, text, stream, value, id } = data as Record<string, unknown>;
  if (kind === 'ready') return { kind };
  if (kind === 'error') return { kind, text: String(text).slice(0, 300) };
  if (kind !== 'want')
    return {
      wrong: `there is no message of the kind “${String(kind).slice(0, 40)}”; there are ready and want`,
    };
  if (typeof stream !== 'number' || !Number.isInteger(stream) || stream < 0 || stream >= streams)
    return { wrong: `stream must be the place of a datastream of this widget, from 0 to ${streams - 1}` };
  const scalar = typeof value === 'boolean' || (typeof value === 'number' && Number.isFinite(value));
  if (!scalar && (typeof value !== 'string' || value.length > 4096))
    return { wrong: 'value must be a number, true or false, or a text of at most 4,096 letters' };
  // What can be sent back as it came, and no more of it than is reasonable.
  const plain = typeof id === 'number' || (typeof id === 'string' && id.length <= 100);
  return { kind, stream, value: value as string, ...(plain && { id }) };
}
