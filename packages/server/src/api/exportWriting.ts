import {
  csvCell,
  exactTime,
  RIGHT_TIME,
  sheetCell,
  sheetTime,
  showUnit,
  showValue,
  type Location,
} from '@peatmoor/core';
import type { ExportFormat } from '@peatmoor/contract';
import { shownTime } from '../ingest/times';
import type { DeviceEntry, DeviceStream } from '../registry';

/** Readings of a time: numbers, texts and locations. */
export type Cell = number | string | Location | null;

/** One way to write rows: what comes first, a line for each row, what comes last. */
export interface Writing {
  type: string;
  ending: string;
  first: string;
  /** `at`: as it is stored, perhaps between two milliseconds. */
  row(at: number, values: Cell[], isFirst: boolean): string;
  last: string;
}

/** How rows are written in a format. `isRight`: their values were made right. */
export function writingOf(
  format: Exclude<ExportFormat, 'zip'>,
  entry: DeviceEntry,
  streams: readonly DeviceStream[],
  zone: string,
  isRight: boolean,
): Writing {
  const plain = (value: Cell, stream: DeviceStream): string =>
    typeof value === 'number' && stream.type !== 'choice' ? String(value) : shown(value, stream);
  const shown = (value: Cell, stream: DeviceStream): string =>
    value === null
      ? ''
      : typeof value === 'object'
        ? csvCell([value.lat, value.lon, value.alt].filter((one) => one !== null).join(','))
        : sheetCell(showValue(stream, value));
  switch (format) {
    case 'csv':
      return {
        type: 'text/csv; charset=utf-8',
        ending: 'csv',
        first: `${isRight ? RIGHT_TIME : 'at'},${streams.map(({ key }) => key).join(',')}\r\n`,
        row: (at, values) =>
          `${exactTime(at)},${values.map((value, i) => plain(value, streams[i]!)).join(',')}\r\n`,
        last: '',
      };
    case 'sheet':
      return {
        type: 'text/csv; charset=utf-8',
        ending: 'csv',
        first: `${isRight ? `date${RIGHT_TIME.slice(2)}` : 'date'},time,offset,${streams.map(headingOf).join(',')}\r\n`,
        row: (at, values) =>
          `${sheetTime(shownTime(at), zone).join(',')},${values
            .map((value, i) => shown(value, streams[i]!))
            .join(',')}\r\n`,
        last: '',
      };
    case 'json':
      return {
        type: 'application/json',
        ending: 'json',
        first: '[',
        row: (at, values, isFirst) => {
          const row: Record<string, unknown> = { at: exactTime(at) };
          for (const [i, value] of values.entries())
            if (value !== null)
              row[streams[i]!.key] =
                streams[i]!.type === 'choice' ? showValue(streams[i]!, value as number) : value;
          return `${isFirst ? '\n' : ',\n'}${JSON.stringify(row)}`;
        },
        last: '\n]\n',
      };
    case 'senml':
      return {
        type: 'application/senml+json',
        ending: 'senml',
        first: '[',
        row: (at, values, isFirst) => {
          // The first record names the device, so that a pack has as many records as values.
          let start = isFirst ? `\n{"bn":${JSON.stringify(`${entry.id}/`)},` : ',\n{';
          return values
            .map((value, i) => {
              if (value === null) return '';
              const { key, unit, type } = streams[i]!;
              const said =
                typeof value === 'object'
                  ? { vs: [value.lat, value.lon, value.alt].filter((one) => one !== null).join(',') }
                  : typeof value === 'string'
                    ? { vs: value }
                    : type === 'boolean'
                      ? { vb: value !== 0 }
                      : type === 'choice'
                        ? { vs: showValue(streams[i]!, value) }
                        : { v: value };
              const record = JSON.stringify({
                n: key,
                ...(unit !== null && { u: unit }),
                t: at / 1000,
                ...said,
              });
              const written = start + record.slice(1);
              start = ',\n{';
              return written;
            })
            .join('');
        },
        last: '\n]\n',
      };
    case 'geojson':
      return {
        type: 'application/geo+json',
        ending: 'geojson',
        first: '{"type":"FeatureCollection","features":[',
        row: (at, values, isFirst) =>
          placesOf(values)
            .map(
              ([i, { lat, lon, alt }], n) =>
                `${isFirst && n === 0 ? '\n' : ',\n'}${JSON.stringify({
                  type: 'Feature',
                  geometry: { type: 'Point', coordinates: alt === null ? [lon, lat] : [lon, lat, alt] },
                  properties: {
                    device: entry.id,
                    datastream: streams[i]!.key,
                    time: new Date(shownTime(at)).toISOString(),
                  },
                })}`,
            )
            .join(''),
        last: '\n]}\n',
      };
    case 'gpx':
      return {
        type: 'application/gpx+xml',
        ending: 'gpx',
        first: `<?xml version="1.0" encoding="UTF-8"?>\n<gpx version="1.1" creator="Peatmoor" xmlns="http://www.topografix.com/GPX/1/1">\n<trk><name>${xmlText(entry.name)}</name><trkseg>\n`,
        row: (at, values) =>
          placesOf(values)
            .slice(0, 1)
            .map(
              ([, { lat, lon, alt }]) =>
                `<trkpt lat="${lat}" lon="${lon}">${alt === null ? '' : `<ele>${alt}</ele>`}<time>${new Date(shownTime(at)).toISOString()}</time></trkpt>\n`,
            )
            .join(''),
        last: '</trkseg></trk>\n</gpx>\n',
      };
  }
}

/** The locations of a row, with the places of their datastreams. */
const placesOf = (values: readonly Cell[]): [number, Location][] =>
  values.flatMap((value, i): [number, Location][] =>
    value !== null && typeof value === 'object' ? [[i, value]] : [],
  );

const xmlText = (text: string): string =>
  // What XML cannot hold is left out.
  text
    .replace(/[^\t\n\r\u0020-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/gu, '')
    .replace(/[<>&"']/g, (letter) => `&#${letter.charCodeAt(0)};`);

/** A column's heading in a sheet: the title, with the unit where there is one to show. */
function headingOf({ title, unit }: DeviceStream): string {
  const shown = showUnit(unit);
  return sheetCell(shown === '' ? title : `${title} (${shown})`);
}
