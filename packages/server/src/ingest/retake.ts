import {
  decodeByContent,
  decodeByType,
  decodePlain,
  isRefusal,
  type DecodedReport,
  type Refusal,
} from '@peatmoor/core';
import type { Retaken } from '@peatmoor/contract';
import { JournalBusyError } from '../journal/writer';
import { unavailable } from '../problems';
import type { DeviceEntry } from '../registry';
import type { ArrivalRow } from '../store/models';
import type { ArrivalBook } from './arrivals';
import type { Report } from './verbs/report';

/** What a message on MQTT or HTTP was, written into `form` when it came and read again here. */
export const MQTT_REPORT = 'mqtt report';
export const MQTT_PLAIN = 'mqtt report/';

/**
 * Takes the refused messages of a device once more, with the times at which they came, the oldest first. What is
 * accepted now is there as if it had been then; a reading that was accepted at first is there once.
 */
export async function retakeRefused(
  { report, arrivals }: { report: Report; arrivals: ArrivalBook },
  entry: DeviceEntry,
): Promise<Retaken> {
  const result = { messages: 0, accepted: 0, stillRefused: 0 };
  const settled: number[] = [];
  try {
    for (const row of await arrivals.refused(entry)) {
      const raw = row.raw!;
      const decoded = withTimes(decodeAgain(row, raw), row.rowsAt ?? row.receivedAt);
      const {
        accepted,
        refused,
        refusedCount = refused.length,
      } = await report.take(entry, decoded, {
        way: 'retaken',
        from: '',
        size: raw.length,
        receivedAt: row.receivedAt,
        form: row.form,
        raw: null,
      });
      result.messages++;
      result.accepted += accepted;
      result.stillRefused += refusedCount;
      if (refusedCount === 0) settled.push(row.id);
    }
  } catch (error) {
    throw error instanceof JournalBusyError ? unavailable() : error;
  } finally {
    await arrivals.settle(entry.workspaceId, settled);
  }
  return result;
}

function decodeAgain({ form, receivedAt }: ArrivalRow, raw: Buffer): DecodedReport | Refusal {
  if (form === MQTT_REPORT) return decodeByContent(raw, receivedAt);
  if (form.startsWith(MQTT_PLAIN)) return decodePlain(form.slice(MQTT_PLAIN.length), raw.toString('utf8'));
  const [type, name] = form.split('?name=');
  return decodeByType(type!, raw, receivedAt, name ?? null);
}

/** Rows without a time of their own were measured when they came, not now. */
function withTimes(decoded: DecodedReport | Refusal, at: number): DecodedReport | Refusal {
  if (isRefusal(decoded)) return decoded;
  return {
    ...decoded,
    rows: decoded.rows.map((row) => (row.at === undefined ? { ...row, givenAt: at } : row)),
  };
}
