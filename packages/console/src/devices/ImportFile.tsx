import { counted } from '@peatmoor/core';
import { Box, LinearProgress } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { importFile, type Imported } from '@peatmoor/contract';
import { api } from '../api';
import { FileButton } from '../parts/FileButton';
import { Notice } from '../parts/Notice';
import { ink } from '../theme';

/** Brings readings in from a CSV file, or an export in JSON or SenML: looks first, shows each refused row, then takes the rest. */
export function ImportFile({ device }: { device: string }): ReactNode {
  const [file, setFile] = useState<File | null>(null);
  const [share, setShare] = useState<number | null>(null);
  const [looked, setLooked] = useState<Imported | null>(null);
  const [taken, setTaken] = useState<Imported | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const run = (chosen: File, only: boolean, done: (total: Imported) => void): void => {
    setError(null);
    setShare(0);
    chosen
      .arrayBuffer()
      .then((bytes) => importFile(api, device, new Uint8Array(bytes), { try: only }, setShare))
      .then(done, setError)
      .finally(() => setShare(null));
  };
  return (
    <Box sx={{ mt: 2 }}>
      <FileButton
        variant="text"
        accept=".csv,.txt,.tsv,.json,.senml,text/csv,text/plain,text/tab-separated-values,application/json"
        onChoose={(chosen) => {
          setFile(chosen);
          setTaken(null);
          setLooked(null);
          run(chosen, true, setLooked);
        }}
      >
        Bring readings in from a file
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
