import { Box, Button, Checkbox, FormControlLabel, LinearProgress } from '@mui/material';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { counted, PromptError, putOnBoard, type PutOnBoard, type StarterFile } from '@peatmoor/core';
import { ApiError, sha256 } from '@peatmoor/contract';
import { useChange } from '../api';
import { Notice } from '../parts/Notice';
import { ink, MONO } from '../theme';
import { browserSerial, openPort, type OpenPort } from './serialPort';

/** What the MicroPython starter imports that not every board has. */
const MODULES = ['umqtt.simple'];
/** Letters of what the board printed that stay in sight. */
const MOST_SHOWN = 8000;

/** Puts the MicroPython starter on a board that is plugged into this computer, starts it, and shows what it prints. */
export function InstallOnBoard({
  make,
  device,
  token,
}: {
  /** The files of the starter, with a device token in the settings. */
  make: (token: string) => readonly StarterFile[];
  device: string;
  /** The token where the page knows it; otherwise the board gets one of its own. */
  token: string | null;
}): ReactNode {
  const newToken = useChange('createToken', ['listTokens']);
  const serial = browserSerial();
  const open = useRef<OpenPort | null>(null);
  const [replace, setReplace] = useState(false);
  const [share, setShare] = useState<number | null>(null);
  const [outcome, setOutcome] = useState<PutOnBoard | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const [printed, setPrinted] = useState<string | null>(null);
  const end = async (): Promise<void> => {
    const line = open.current;
    open.current = null;
    await line?.close();
  };
  // Whoever leaves the page leaves the port to others.
  useEffect(() => () => void end(), []);
  if (serial === null)
    return (
      <Box sx={{ color: ink.soft, mt: 1 }}>
        A browser with Web Serial, over HTTPS or on this computer itself, can put it on a plugged-in board
        from here. The command line can always: <code>peatmoor device install {device}</code>
      </Box>
    );
  const put = async (): Promise<void> => {
    setWrong(null);
    setOutcome(null);
    setPrinted(null);
    try {
      await end();
      const line = await openPort(serial, () =>
        setPrinted((text) => text && `${text}\n(the board is unplugged)\n`),
      );
      open.current = line;
      setShare(0);
      const known =
        token ??
        (await newToken.mutateAsync({ params: { device }, body: { title: 'for the plugged-in board' } }))
          .secret;
      const done = await putOnBoard(
        line,
        make(known)
          .filter(({ path }) => path.endsWith('.py'))
          .map(({ path, text, generated }) => ({ path, text, own: !generated })),
        { sumOf: sha256, replace, modules: MODULES },
        (next) => setShare(next),
      );
      setOutcome(done);
      setPrinted('');
      line.follow((text) =>
        setPrinted((before) => `${before ?? ''}${text.replaceAll('\r', '')}`.slice(-MOST_SHOWN)),
      );
    } catch (error) {
      const { name, message } = error as Error;
      // Nobody chose a port: that is no fault.
      if (name !== 'NotFoundError')
        setWrong(
          error instanceof PromptError || error instanceof ApiError
            ? message
            : `The port cannot be used: ${message} Close other programs that have it open, and plug the board in anew.`,
        );
      await end();
    } finally {
      setShare(null);
    }
  };
  return (
    <Box sx={{ mt: 2 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}>
        <Button variant="contained" color="primary" disabled={share !== null} onClick={() => void put()}>
          Put it on a plugged-in board
        </Button>
        <FormControlLabel
          control={<Checkbox checked={replace} onChange={(_event, on) => setReplace(on)} />}
          label="Replace my own main.py on it too"
        />
        {printed !== null && open.current !== null && (
          <Button
            onClick={() => {
              void end();
              setPrinted(null);
            }}
          >
            Let go of the port
          </Button>
        )}
      </Box>
      {share !== null && (
        <LinearProgress
          variant="determinate"
          value={share * 100}
          aria-label="Files on the board"
          sx={{ maxWidth: 400, mt: 1 }}
        />
      )}
      {wrong !== null && <Notice>{wrong}</Notice>}
      {outcome !== null && (
        <Notice tone="good">
          {counted(outcome.written.length, 'file is', 'files are')} on the board, and it starts.
          {outcome.kept.length > 0 && ` ${outcome.kept.join(', ')} on it stayed as it was.`}
          {outcome.missing.map(
            (name) =>
              ` It has no ${name}: with the internet, on its prompt, import mip; mip.install("${name}").`,
          )}
        </Notice>
      )}
      {printed !== null && (
        <Box
          component="pre"
          data-board-output
          aria-label="What the board prints"
          sx={{
            fontFamily: MONO,
            fontSize: '0.85rem',
            maxHeight: 260,
            overflow: 'auto',
            border: `1px solid ${ink.faint}`,
            p: 1.5,
            whiteSpace: 'pre-wrap',
            overflowWrap: 'anywhere',
            display: 'flex',
            flexDirection: 'column-reverse',
          }}
        >
          <span>{printed === '' ? 'The board starts …' : printed}</span>
        </Box>
      )}
    </Box>
  );
}
