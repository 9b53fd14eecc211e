import { asTable, decodeFile, sheetForm, sheetParts } from '@peatmoor/core';
import type { Client } from './client';
import { MOST_IMPORT_LETTERS, type Imported } from './schemas/data';

/** Lines, and cells, of a file that one call carries at the most. */
const LINES_A_PART = 2000;
const CELLS_A_PART = 9000;
/** Refusals that are told of a whole file. */
const MOST_TOLD = 100;

/**
 * Sends a file of readings (a table, or an export in JSON or SenML) part by part, each with its header row; gives what became of all of it.
 * Throws TableError where the file cannot be read.
 */
export async function importFile(
  client: Client,
  device: string,
  bytes: Uint8Array,
  more: { try: boolean; zone?: string },
  onProgress: (share: number, total: Imported) => void,
): Promise<Imported> {
  const text = asTable(decodeFile(bytes));
  const form = sheetForm(text);
  const total: Imported = { rows: 0, accepted: 0, refused: 0, errors: [], notes: [] };
  for (const { header, lines, firstRow, share } of sheetParts(
    text,
    form,
    LINES_A_PART,
    CELLS_A_PART,
    MOST_IMPORT_LETTERS / 2,
  )) {
    const part = await client.call('importRows', {
      params: { device },
      body: { csv: [header, ...lines].join('\n'), firstRow, form, ...more },
    });
    total.rows += part.rows;
    total.accepted += part.accepted;
    total.refused += part.refused;
    total.errors.push(...part.errors.slice(0, MOST_TOLD - total.errors.length));
    total.notes = [...new Set([...total.notes, ...part.notes])];
    onProgress(share, total);
  }
  return total;
}
