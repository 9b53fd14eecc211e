import { counted } from '@peatmoor/core';
import { Box, LinearProgress } from '@mui/material';
import { useState, type ReactNode } from 'react';
import type { Imported } from '@peatmoor/contract';
import { api } from '../api';
import { FileButton } from '../parts/FileButton';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

const LINES_A_PART = 2000;

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
        accept=".csv,text/csv"
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
            {looked.refused} refused.
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
  const [header = '', ...lines] = (await file.text()).replace(/\r?\n$/, '').split(/\r?\n/);
  const total: Imported = { rows: 0, accepted: 0, refused: 0, errors: [] };
  for (let start = 0; start < lines.length || start === 0; start += LINES_A_PART) {
    const csv = `${header}\n${lines.slice(start, start + LINES_A_PART).join('\n')}\n`;
    const part = await api.call('importRows', {
      params: { device },
      body: { csv, firstRow: start + 2, try: only },
    });
    total.rows += part.rows;
    total.accepted += part.accepted;
    total.refused += part.refused;
    total.errors.push(...part.errors.slice(0, 100 - total.errors.length));
    onProgress(Math.min(1, (start + LINES_A_PART) / Math.max(1, lines.length)));
  }
  return total;
}
