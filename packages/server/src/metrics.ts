import { timingSafeEqual } from 'node:crypto';
import type { Express, Request } from 'express';
import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client';
import { socketAddress } from './listeners/address';
import { now as clockNow } from './clock';
import { ProblemError } from './problems';
import type { Health } from './health';

/** What is counted while the service runs, told as OpenMetrics text (prometheus.io/docs/specs/om/open_metrics_spec). */
export interface Metrics {
  /** A commit of the journal is durable: so many readings, texts, locations and images, after so many seconds. */
  committed(readings: number, seconds: number): void;
  /** A call of a person or program was answered. */
  answered(method: string, status: number, seconds: number): void;
  text(): Promise<string>;
}

const SECONDS = [0.001, 0.003, 0.01, 0.03, 0.1, 0.3, 1, 3, 10];

export function createMetrics(health: () => Promise<Health>): Metrics {
  const registers = [new Registry()];
  const register = registers[0]!;
  register.setContentType(Registry.OPENMETRICS_CONTENT_TYPE as never);
  collectDefaultMetrics({ register });
  const gauge = (name: string, help: string, labelNames: string[] = []): Gauge =>
    new Gauge({ name, help, labelNames, registers });
  const readings = new Counter({
    name: 'peatmoor_readings',
    help: 'Readings, texts, locations and images that were made durable',
    registers,
  });
  const commits = new Histogram({
    name: 'peatmoor_commit_seconds',
    help: 'How long commits of the journal took',
    buckets: SECONDS,
    registers,
  });
  const calls = new Histogram({
    name: 'peatmoor_http_seconds',
    help: 'How long calls of the API and pages took, by method and class of status',
    labelNames: ['method', 'status'],
    buckets: SECONDS,
    registers,
  });
  const up = gauge('peatmoor_database_up', '1 while the database answers');
  const queue = gauge('peatmoor_queue_readings', 'Readings that wait for the journal');
  const unfolded = gauge('peatmoor_unfolded_readings', 'Readings in memory that are not folded yet');
  const behind = gauge(
    'peatmoor_reader_behind_entries',
    'Entries of the journal that a reader has not looked at',
    ['reader'],
  );
  const aside = gauge('peatmoor_set_aside', 'Things that could not be handled and were set aside');
  const sessions = gauge('peatmoor_mqtt_sessions', 'Devices that are connected by MQTT');
  const pages = gauge('peatmoor_live_pages', 'Pages that are open and live');
  const room = gauge('peatmoor_disk_free_bytes', 'What is free on the disk of the data folder');
  const backupAge = gauge(
    'peatmoor_backup_age_seconds',
    'How old the newest backup is that was made by itself',
  );
  const wrong = gauge('peatmoor_trouble', '1 for each thing that is wrong with the service itself', ['what']);
  const METHODS = new Set(['GET', 'POST', 'PUT', 'PATCH', 'DELETE']);
  return {
    committed(count, seconds) {
      readings.inc(count);
      commits.observe(seconds);
    },
    answered: (method, status, seconds) =>
      // Whatever somebody invents is one of few: the list does not grow.
      calls.observe(
        { method: METHODS.has(method) ? method : 'other', status: `${Math.floor(status / 100)}xx` },
        seconds,
      ),
    async text() {
      const state = await health();
      up.set(state.ok ? 1 : 0);
      queue.set(state.queue.readings);
      unfolded.set(state.unfolded.readings);
      for (const [reader, count] of Object.entries(state.behind ?? {})) behind.set({ reader }, count);
      aside.set(state.setAside?.count ?? 0);
      sessions.set(state.mqtt.sessions);
      pages.set(state.pages);
      room.set(state.disk.free);
      if (state.backup?.newestAt != null) backupAge.set((clockNow() - state.backup.newestAt) / 1000);
      wrong.reset();
      for (const { what } of state.troubles) wrong.set({ what }, 1);
      return register.metrics();
    },
  };
}

/** `/metrics`: for the machine itself, or for whoever has the key, where one is set. */
export function serveMetrics(app: Express, metrics: Metrics, key: string | null): void {
  app.get('/metrics', async (request, response) => {
    if (!mayRead(request, key))
      throw new ProblemError(
        'not-allowed',
        key === null
          ? 'Metrics are told to the machine itself. Set PEATMOOR_METRICS_KEY, and send it as "Authorization: Bearer …".'
          : 'Send the key that PEATMOOR_METRICS_KEY is set to as "Authorization: Bearer …".',
      );
    response.setHeader('cache-control', 'no-store');
    response.type(Registry.OPENMETRICS_CONTENT_TYPE).send(await metrics.text());
  });
}

/** True for the machine itself, or where a key is set for whoever sends it. */
export function mayRead(request: Request, key: string | null): boolean {
  if (key !== null) {
    const given = Buffer.from(request.headers.authorization ?? '');
    const right = Buffer.from(`Bearer ${key}`);
    return given.length === right.length && timingSafeEqual(given, right);
  }
  // A proxy on this machine asks for others.
  return (
    /^(127\.|::1$)/.test(socketAddress(request.socket)) &&
    request.headers['x-forwarded-for'] === undefined &&
    request.headers.forwarded === undefined
  );
}
