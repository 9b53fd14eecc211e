import type { Client } from '@peatmoor/contract';
import { mqttLoad } from './generator';

const SAMPLE_MS = 5000;

/** How far the readers of the journal were behind at a moment. */
export interface FoldingSample {
  /** Seconds since the load began. */
  at: number;
  /** Readings a second that were acknowledged since the sample before. */
  rate: number;
  /** Readings that are durable in the journal and not folded yet, and how long the oldest has waited (ms). */
  unfolded: number;
  ageMs: number;
  /** Commits that the rules have still to read. */
  rules: number;
}

/** Loads the service from many devices for some minutes, and looks at how far behind its readers are. */
export async function foldingUnderLoad(
  client: Client,
  baseUrl: string,
  mqttPort: number,
  { devices: count, ms, window }: { devices: number; ms: number; window: number },
): Promise<FoldingSample[]> {
  const kind = await client.call('createKind', {
    body: { title: 'Folded', streams: [{ key: 'level', title: 'Level', type: 'number' }] },
  });
  const csv = `name,kind\n${Array.from({ length: count }, (_, i) => `Folded ${i},${kind.id}`).join('\n')}`;
  const devices = await client.call('createDevices', { body: { csv } });
  let acknowledged = 0;
  const load = mqttLoad({
    port: mqttPort,
    window,
    ms,
    timed: true,
    senders: devices.map(({ id, token }) => ({
      user: id,
      password: token,
      topic: `moor/${id}/report`,
      next: 0,
      open: new Set<number>(),
    })),
    onAcknowledged: (more) => (acknowledged += more),
  });
  const samples: FoldingSample[] = [];
  const start = performance.now();
  let before = 0;
  let last = start;
  while (performance.now() - start < ms) {
    await new Promise((resolve) => setTimeout(resolve, SAMPLE_MS));
    const { unfolded, behind } = (await (await fetch(`${baseUrl}/health`)).json()) as {
      unfolded: { readings: number; ageMs: number };
      behind: { rules: number } | null;
    };
    const now = performance.now();
    samples.push({
      at: (now - start) / 1000,
      rate: ((acknowledged - before) * 1000) / (now - last),
      unfolded: unfolded.readings,
      ageMs: unfolded.ageMs,
      rules: behind?.rules ?? 0,
    });
    before = acknowledged;
    last = now;
  }
  await load;
  return samples;
}

/** The samples as a picture: readings not folded yet over time, with the rate below. SVG 1.1. */
export function foldingPicture(samples: readonly FoldingSample[]): string {
  const [width, height, left, gap] = [900, 420, 80, 40];
  const half = (height - 3 * gap) / 2;
  const last = samples.at(-1)?.at ?? 1;
  const x = (at: number): number => left + (at / last) * (width - left - 20);
  const line = (values: number[], top: number, title: string): string => {
    const most = Math.max(1, ...values);
    const y = (value: number): number => top + half - (value / most) * half;
    const points = samples.map(({ at }, i) => `${x(at).toFixed(1)},${y(values[i]!).toFixed(1)}`).join(' ');
    const label = (value: number): string =>
      `<text x="${left - 8}" y="${y(value) + 4}" text-anchor="end">${Math.round(value).toLocaleString('en')}</text><line x1="${left}" x2="${width - 20}" y1="${y(value)}" y2="${y(value)}" stroke="#2C242033"/>`;
    return `<text x="${left}" y="${top - 10}" font-weight="bold">${title}</text>${[0, most / 2, most].map(label).join('')}<polyline points="${points}" fill="none" stroke="#2B5F6E" stroke-width="1.8"/>`;
  };
  const ticks = Array.from({ length: 6 }, (_, i) => (last * i) / 5)
    .map((at) => `<text x="${x(at)}" y="${height - 8}" text-anchor="middle">${Math.round(at)} s</text>`)
    .join('');
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" font-family="sans-serif" font-size="13" fill="#2C2420"><rect width="100%" height="100%" fill="#F6F2E9"/>${line(
    samples.map(({ unfolded }) => unfolded),
    gap,
    'Readings durable and not folded yet',
  )}${line(
    samples.map(({ rate }) => rate),
    2 * gap + half,
    'Readings acknowledged a second',
  )}${ticks}</svg>
`;
}
