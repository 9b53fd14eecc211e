import { counted, decodeFile, sheetForm, sheetParts } from '@peatmoor/core';
import { Box, LinearProgress } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { MOST_IMPORT_LETTERS, type Imported } from '@peatmoor/contract';
import { api } from '../api';
import { FileButton } from '../parts/FileButton';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

const LINES_A_PART = 2000;
const CELLS_A_PART = 9000;

/** Brings readings in from a CSV file: looks first, shows each refused row, then takes the rest. */
export function ImportFile({ device }: { device: string }): ReactNode {
  const [file, setFile] = useState<File | null>(null);
  const [share, setShare] = useState<number | null>(null);
  const [looked, setLooked] = useState<Imported | null>(null);
  const [taken, setTaken] = useState<Imported | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const run = (chosen: File, only: boolean, done: (total: Imported) => void): void => {
    setError(null);
    setShare(0);
    importFile(device, chosen, only, setShare)
      .then(done, setError)
      .finally(() => setShare(null));
  };
  return (
    <Box sx={{ mt: 2 }}>
      <FileButton
        variant="text"
        accept=".csv,.txt,.tsv,text/csv,text/plain,text/tab-separated-values"
        onChoose={(chosen) => {
          setFile(chosen);
          setTaken(null);
          setLooked(null);
          run(chosen, true, setLooked);
        }}
      >
        Bring readings in from a CSV file
      </FileButton>
      {share !== null && <LinearProgress variant="determinate" value={share * 100} sx={{ mt: 1 }} />}
      <Notice error={error} />
      {taken && (
        <Notice tone="good">
          {counted(taken.accepted, 'value')} of {counted(taken.rows, 'row')} taken, {taken.refused} refused.
        </Notice>
      )}
      {looked && taken === null && file !== null && (
        <>
          <Notice
            tone={looked.refused === 0 ? 'good' : 'plain'}
            {...(looked.accepted > 0 && {
              action: {
                label: `Take ${counted(looked.accepted, 'value')}`,
                onClick: () => run(file, false, setTaken),
              },
            })}
          >
            {file.name}: {counted(looked.rows, 'row')}. {counted(looked.accepted, 'value')} would be taken,{' '}
            {looked.refused} refused. {looked.notes.join(' ')}
          </Notice>
          {looked.errors.slice(0, 20).map(({ row, name, reason, hint }) => (
            <Box
              key={`${row}${name}${reason}`}
              sx={{ fontSize: '0.95rem', borderTop: `1px solid ${ink.faint}` }}
            >
              <b style={{ color: ink.rowan }}>
                row {row}: {name} {reason}
              </b>{' '}
              {hint}
            </Box>
          ))}
        </>
      )}
    </Box>
  );
}

/** Sends a file part by part, each with the header row; gives what became of all of it. */
async function importFile(
  device: string,
  file: File,
  only: boolean,
  onProgress: (share: number) => void,
): Promise<Imported> {
  const text = decodeFile(new Uint8Array(await file.arrayBuffer()));
  const form = sheetForm(text);
  const total: Imported = { rows: 0, accepted: 0, refused: 0, errors: [], notes: [] };
  for (const { header, lines, firstRow, share } of sheetParts(
    text,
    form,
    LINES_A_PART,
    CELLS_A_PART,
    MOST_IMPORT_LETTERS / 2,
  )) {
    const part = await api.call('importRows', {
      params: { device },
      body: { csv: [header, ...lines].join('\n'), firstRow, form, try: only },
    });
    total.rows += part.rows;
    total.accepted += part.accepted;
    total.refused += part.refused;
    total.errors.push(...part.errors.slice(0, 100 - total.errors.length));
    total.notes = [...new Set([...total.notes, ...part.notes])];
    onProgress(share);
  }
  return total;
}
