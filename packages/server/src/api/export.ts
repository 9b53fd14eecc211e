import { once } from 'node:events';
import type { Request, Response } from 'express';
import { isNumeric, RIGHT_TIME, rowsByTime, sheetCell, sheetTime, showUnit, showValue } from '@peatmoor/core';
import { exportQuerySchema, type ExportFormat } from '@peatmoor/contract';
import { shownTime } from '../ingest/times';
import { wrongField } from '../problems';
import type { DeviceEntry, DeviceStream } from '../registry';
import { deviceOf, type ApiParts } from './context';
import { demand, demandReach, scopeOf } from './scope';

const DAY_MS = 86_400_000;

/** One way to write rows: what comes first, a line for each row, what comes last. */
interface Writing {
  type: string;
  ending: string;
  first: string;
  row(at: number, values: (number | null)[], isFirst: boolean): string;
  last: string;
}

/** Streams readings of a device, a day at a time, so that any number of them needs little memory. */
export async function sendExport(
  parts: Pick<ApiParts, 'store' | 'registry' | 'history'>,
  request: Request,
  response: Response,
): Promise<void> {
  const query = await exportQuerySchema.validate(request.query, { abortEarly: false });
  const scope = demand(await scopeOf(parts.store, request, keyOf(query.access_token)), 'look');
  const entry = await deviceOf(parts, scope, request.params.device as string);
  demandReach(scope, { method: 'GET', path: request.path }, entry.rowId);
  // What is to be brought back holds what was measured; a sheet for people what is true.
  const values = query.values ?? (query.format === 'sheet' ? 'right' : 'raw');
  const chosen = streamsOf(entry, query.streams);
  const isRight = values === 'right' && chosen.some(({ calibrations }) => calibrations.length > 0);
  const streams = isRight ? chosen : chosen.map((stream) => ({ ...stream, calibrations: [] }));
  const to = query.to;
  const from = query.days === undefined ? query.from : to - query.days * DAY_MS;
  const writing = writingOf(query.format, entry, streams, query.zone, isRight);
  response.setHeader('peatmoor-values', isRight ? 'right' : 'raw');
  response.setHeader('cache-control', 'no-store');
  response.setHeader('content-disposition', `attachment; filename="${entry.id}.${writing.ending}"`);
  response.type(writing.type);
  response.write(writing.first);
  let isFirst = true;
  for await (const columns of parts.history.parts(streams, from, to)) {
    let text = '';
    for (const { at, values } of rowsByTime(columns)) {
      text += writing.row(shownTime(at), values, isFirst);
      isFirst = false;
    }
    if (response.destroyed) return;
    if (text !== '' && !response.write(text)) await once(response, 'drain');
  }
  response.end(writing.last);
}

function keyOf(text: string | undefined): string | undefined {
  return text === undefined || text === '' ? undefined : text;
}

function streamsOf(entry: DeviceEntry, text: string): DeviceStream[] {
  if (text === '') return entry.streams.filter((one) => isNumeric(one) && one.direction !== 'control');
  return text.split(',').map((name) => {
    const stream = entry.names.find(name.trim());
    if (stream === undefined || !isNumeric(stream))
      throw wrongField(
        'streams',
        `: "${name}" is no datastream of numbers of ${entry.name}`,
        'See its kind.',
      );
    return stream;
  });
}

function writingOf(
  format: ExportFormat,
  entry: DeviceEntry,
  streams: readonly DeviceStream[],
  zone: string,
  isRight: boolean,
): Writing {
  const plain = (value: number | null, stream: DeviceStream): string =>
    value === null ? '' : stream.type === 'choice' ? sheetCell(showValue(stream, value)) : String(value);
  switch (format) {
    case 'csv':
      return {
        type: 'text/csv; charset=utf-8',
        ending: 'csv',
        first: `${isRight ? RIGHT_TIME : 'at'},${streams.map(({ key }) => key).join(',')}\r\n`,
        row: (at, values) =>
          `${new Date(at).toISOString()},${values.map((value, i) => plain(value, streams[i]!)).join(',')}\r\n`,
        last: '',
      };
    case 'sheet':
      return {
        type: 'text/csv; charset=utf-8',
        ending: 'csv',
        first: `date,time,offset,${streams.map(headingOf).join(',')}\r\n`,
        row: (at, values) =>
          `${sheetTime(at, zone).join(',')},${values
            .map((value, i) => (value === null ? '' : sheetCell(showValue(streams[i]!, value))))
            .join(',')}\r\n`,
        last: '',
      };
    case 'json':
      return {
        type: 'application/json',
        ending: 'json',
        first: '[',
        row: (at, values, isFirst) => {
          const row: Record<string, unknown> = { at: new Date(at).toISOString() };
          for (const [i, value] of values.entries())
            if (value !== null)
              row[streams[i]!.key] = streams[i]!.type === 'choice' ? showValue(streams[i]!, value) : value;
          return `${isFirst ? '\n' : ',\n'}${JSON.stringify(row)}`;
        },
        last: '\n]\n',
      };
    case 'senml':
      return {
        type: 'application/senml+json',
        ending: 'senml',
        first: `[{"bn":${JSON.stringify(`${entry.id}/`)}}`,
        row: (at, values) =>
          values
            .map((value, i) => {
              if (value === null) return '';
              const { key, unit, type } = streams[i]!;
              const said =
                type === 'boolean'
                  ? { vb: value !== 0 }
                  : type === 'choice'
                    ? { vs: showValue(streams[i]!, value) }
                    : { v: value };
              return `,\n${JSON.stringify({ n: key, ...(unit !== null && { u: unit }), t: at / 1000, ...said })}`;
            })
            .join(''),
        last: ']\n',
      };
  }
}

/** A column's heading in a sheet: the title, with the unit where there is one to show. */
function headingOf({ title, unit }: DeviceStream): string {
  const shown = showUnit(unit);
  return sheetCell(shown === '' ? title : `${title} (${shown})`);
}
