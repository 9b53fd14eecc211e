import { flattenRow, isRefusal, type DecodedReport } from '@peatmoor/core';
import type { WhereOptions } from 'sequelize';
import type { Arrival } from '@peatmoor/contract';
import { now as clockNow } from '../clock';
import { retakeRefused } from '../ingest/retake';
import { JournalBusyError } from '../journal/writer';
import { remoteAddress } from '../listeners/address';
import { unavailable, wrongField } from '../problems';
import type { ArrivalRow } from '../store/models';
import { deviceOf, type ApiParts, type Handlers } from './context';
import { ofDevicesIn, pageIn, period, type PageCall } from './pages';
import type { Scope } from './scope';

type ArrivalHandlers = Pick<Handlers, 'listArrivals' | 'listAllArrivals' | 'retake' | 'reportByHand'>;

export function arrivalHandlers(parts: ApiParts): ArrivalHandlers {
  const { store, arrivals, verbs } = parts;
  const { models } = store;
  const listArrivals = async (
    call: PageCall & { scope: Scope },
    deviceRowId: number | null,
  ): Promise<Arrival[]> => {
    await arrivals.save();
    const { outcome } = call.query;
    const rows = await pageIn(models.arrivals, call.scope.workspaceId, call, {
      where: {
        deviceRowId: deviceRowId ?? ofDevicesIn(call.scope.workspaceId),
        ...(outcome !== undefined && { refused: outcome === 'refused' }),
        ...period('receivedAt', call.query),
      } as WhereOptions<ArrivalRow>,
      by: 'id',
      id: 'id',
      direction: 'DESC',
    });
    return rows.map(({ body }) => body as Arrival);
  };
  return {
    listArrivals: async (call) =>
      listArrivals(call, (await deviceOf(parts, call.scope, call.params.device)).rowId),
    listAllArrivals: async (call) => listArrivals(call, null),
    retake: async ({ scope, params }) =>
      retakeRefused({ arrivals, report: verbs.report }, await deviceOf(parts, scope, params.device)),
    reportByHand: async ({ scope, params, body, request }) => {
      const entry = await deviceOf(parts, scope, params.device);
      if (
        typeof body.values !== 'object' ||
        body.values === null ||
        Array.isArray(body.values) ||
        Object.keys(body.values).length === 0
      )
        throw wrongField(
          'values',
          'must be an object of names and values',
          'Send {"values": {"level": -121}}.',
        );
      const row = flattenRow(body.values);
      const decoded: DecodedReport | typeof row = isRefusal(row) ? row : { rows: [row], number: null };
      try {
        const raw = Buffer.from(JSON.stringify(body.values));
        return await verbs.report.take(entry, decoded, {
          way: 'by hand',
          from: remoteAddress(request),
          size: raw.length,
          receivedAt: clockNow(),
          form: 'application/json',
          raw,
        });
      } catch (error) {
        throw error instanceof JournalBusyError ? unavailable() : error;
      }
    },
  };
}
