import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { counted, MOST_FIRMWARE_BYTES, showBytes, type FirmwareState } from '@peatmoor/core';
import { readProblem, type Device, type Kind, type NewRound, type Round } from '@peatmoor/contract';
import { under } from '../base';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { FileButton } from '../parts/FileButton';
import { Section } from '../parts/Heading';
import { CommandShape } from '../parts/marks';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';

const STATE_WORDS: Record<FirmwareState, string> = {
  offered: 'fetches it when it asks next',
  fetched: 'has it, and starts it',
  confirmed: 'runs it, and has reported',
  failed: 'could not take it',
  'went-back': 'runs the one before again',
  cannot: 'has no room for two programs',
};
const STATE_MARKS = {
  offered: 'waiting',
  fetched: 'sent',
  confirmed: 'confirmed',
  failed: 'refused',
  'went-back': 'refused',
  cannot: 'refused',
} as const;
const when = (at: number): string => dates().dateTime(at);

/** New programs for the boards of a kind: uploaded, given to some first, fetched and checked by each. */
export function FirmwareSection({ kind, devices }: { kind: Kind; devices: readonly Device[] }): ReactNode {
  const params = { kind: kind.id };
  const files = useRead('listFirmware', { params });
  const rounds = useRead('listRounds', { params });
  const remove = useChange('deleteFirmware', ['listFirmware', 'listRounds']);
  const ask = useAsk();
  const list = files.data ?? [];
  return (
    <Section
      title="Programs over the air"
      note="Boards with a starter of ours fetch a new program by themselves, check that it is yours, and go back to the one before where it does not report."
    >
      {list.map((one) => (
        <Box
          key={one.version}
          data-firmware={one.version}
          sx={{
            display: 'flex',
            flexWrap: 'wrap',
            columnGap: 2,
            alignItems: 'baseline',
            borderTop: `1px solid ${ink.faint}`,
            py: 0.75,
          }}
        >
          <Box sx={{ fontFamily: MONO, fontWeight: 700, minWidth: 90 }}>{one.version}</Box>
          <Box sx={{ flex: '1 1 220px' }}>{one.notes}</Box>
          <Typography color="textSecondary">
            {showBytes(one.size)}, by {one.by}, {when(one.at)}
          </Typography>
          <Button
            variant="text"
            onClick={() =>
              void ask({
                title: `Delete program ${one.version}?`,
                text: 'Boards that run it go on. Nobody can fetch it any more, and what is on record of it goes too.',
                action: 'Delete it',
              }).then((yes) => yes && remove.mutate({ params: { ...params, version: one.version } }))
            }
          >
            Delete
          </Button>
        </Box>
      ))}
      <Notice error={files.error ?? remove.error ?? rounds.error} />
      <Upload kindId={kind.id} />
      {list.length > 0 && (
        <Give kind={kind} versions={list.map(({ version }) => version)} devices={devices} />
      )}
      {(rounds.data ?? []).map((round) => (
        <RoundRow key={round.id} round={round} kindId={kind.id} all={devices} />
      ))}
    </Section>
  );
}

function Upload({ kindId }: { kindId: number }): ReactNode {
  const client = useQueryClient();
  const [version, setVersion] = useState('');
  const [notes, setNotes] = useState('');
  const [wrong, setWrong] = useState<string | null>(null);
  const [isSending, setSending] = useState(false);
  const send = async (file: File): Promise<void> => {
    setWrong(null);
    if (file.size > MOST_FIRMWARE_BYTES) {
      setWrong(
        `${file.name} has ${showBytes(file.size)}; ${showBytes(MOST_FIRMWARE_BYTES)} are taken at most.`,
      );
      return;
    }
    setSending(true);
    try {
      const query = new URLSearchParams({ notes });
      const response = await fetch(
        under(`/api/kinds/${kindId}/firmware/${encodeURIComponent(version.trim())}?${query}`),
        {
          method: 'PUT',
          headers: { 'content-type': 'application/octet-stream' },
          body: file,
        },
      );
      if (!response.ok) setWrong((await readProblem(response)).detail);
      else {
        setVersion('');
        setNotes('');
      }
    } catch {
      setWrong('The service could not be reached. Try again.');
    } finally {
      setSending(false);
      await client.invalidateQueries({ queryKey: ['listFirmware'] });
    }
  };
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mt: 1 }}>
        <TextField
          label="Version of the program"
          placeholder="1.1.0"
          value={version}
          onChange={({ target }) => setVersion(target.value)}
          sx={{ width: 170 }}
        />
        <TextField
          label="What is new in it"
          value={notes}
          onChange={({ target }) => setNotes(target.value)}
          sx={{ flex: '1 1 220px' }}
        />
        <FileButton
          accept=""
          disabled={version.trim() === '' || isSending}
          onChoose={(file) => void send(file)}
        >
          {isSending ? 'Uploading …' : 'Upload its file'}
        </FileButton>
      </Box>
      {wrong !== null && <Notice>{wrong}</Notice>}
    </>
  );
}

function Give({
  kind,
  versions,
  devices,
}: {
  kind: Kind;
  versions: string[];
  devices: readonly Device[];
}): ReactNode {
  const create = useChange('createRound', ['listRounds']);
  const [version, setVersion] = useState(versions[0]!);
  const [whom, setWhom] = useState(devices.length === 0 ? 'kind:' : `device:${devices[0]!.id}`);
  const [percent, setPercent] = useState('100');
  const [failures, setFailures] = useState('1');
  const labels = [...new Set(devices.flatMap(({ labels: own }) => own))].sort();
  const [target, name] = whom.split(/:(.*)/s) as [NewRound['target'], string];
  const chosen = versions.includes(version) ? version : versions[0]!;
  const select = (
    label: string,
    value: string,
    set: (text: string) => void,
    options: [string, string][],
    width: number,
  ) => (
    <TextField
      select
      label={label}
      value={value}
      onChange={({ target: field }) => set(field.value)}
      sx={{ width }}
    >
      {options.map(([one, words]) => (
        <MenuItem key={one} value={one}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  );
  const number = (field: string, label: string, value: string, set: (text: string) => void) => (
    <TextField
      label={label}
      type="number"
      value={value}
      onChange={({ target: { value: text } }) => set(text)}
      {...troubleOf(create.error)(field)}
      sx={{ width: 150 }}
    />
  );
  return (
    <>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-end', mt: 3 }}>
        {select(
          'Give program',
          chosen,
          setVersion,
          versions.map((one) => [one, one]),
          140,
        )}
        {select(
          'to',
          whom,
          setWhom,
          [
            ...devices.map((one): [string, string] => [`device:${one.id}`, one.name]),
            ...labels.map((label): [string, string] => [`label:${label}`, `all labelled ${label}`]),
            ['kind:', `all of the kind ${kind.title}`],
          ],
          260,
        )}
        {target !== 'device' && number('percent', 'First … percent', percent, setPercent)}
        {number('mostFailures', 'Stop after … failures', failures, setFailures)}
        <Button
          variant="contained"
          color="primary"
          disabled={create.isPending}
          onClick={() =>
            create.mutate({
              params: { kind: kind.id },
              body: {
                version: chosen,
                target,
                name,
                percent: target === 'device' ? 100 : Number(percent),
                mostFailures: Number(failures),
              },
            })
          }
        >
          Give it
        </Button>
      </Box>
      <Notice error={create.error} beside={['percent', 'mostFailures']} />
    </>
  );
}

function RoundRow({
  round,
  kindId,
  all,
}: {
  round: Round;
  kindId: number;
  /** All devices of the kind. */
  all: readonly Device[];
}): ReactNode {
  const change = useChange('changeRound', ['listRounds']);
  const [percent, setPercent] = useState('');
  const { version, target, name, state, reason, devices } = round;
  const whom =
    target === 'device'
      ? (all.find(({ id }) => id === name)?.name ?? name)
      : `${round.percent === 100 ? 'all' : `the first ${round.percent} %`} ${target === 'label' ? `labelled ${name}` : 'of the kind'}`;
  const stays = devices.filter((one) => one.state === 'confirmed').length;
  const send = (body: { percent?: number; state?: 'going' | 'stopped' }): void =>
    change.mutate({ params: { kind: kindId, round: round.id }, body });
  return (
    <Box data-round={round.id} sx={{ borderTop: `1px solid ${ink.faint}`, mt: 2, pt: 1 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'baseline' }}>
        <Box sx={{ flex: '1 1 300px' }}>
          <b>{version}</b> to {whom}
          <Box component="span" sx={{ color: ink.soft }}>
            {' '}
            by {round.by}, {when(round.at)}; it runs on {counted(stays, 'board')}.
          </Box>
          {reason !== '' && <Box sx={{ color: ink.rowan }}>{reason}</Box>}
        </Box>
        {state === 'going' && round.percent < 100 && (
          <>
            <TextField
              label="To … percent"
              type="number"
              value={percent}
              onChange={({ target: field }) => setPercent(field.value)}
              {...troubleOf(change.error)('percent')}
              sx={{ width: 130 }}
            />
            <Button disabled={percent === ''} onClick={() => send({ percent: Number(percent) })}>
              Give it to more
            </Button>
          </>
        )}
        <Button
          variant="text"
          disabled={change.isPending}
          onClick={() => send({ state: state === 'going' ? 'stopped' : 'going' })}
        >
          {state === 'going' ? 'Stop' : 'Go on'}
        </Button>
      </Box>
      <Notice error={change.error} beside={['percent']} />
      {devices.map((one) => (
        <Box
          key={one.id}
          data-board={one.id}
          sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 2, pl: 2, py: 0.25, alignItems: 'center' }}
        >
          <Link to={`/devices/${one.id}`}>{one.name}</Link>
          <CommandShape state={STATE_MARKS[one.state]} />
          <span>{STATE_WORDS[one.state]}</span>
          <Box component="span" sx={{ color: ink.soft }}>
            {[
              one.state === 'offered' && one.bytes > 0 ? `${showBytes(one.bytes)} so far` : '',
              one.note,
              when(one.at),
            ]
              .filter(Boolean)
              .join(' · ')}
          </Box>
        </Box>
      ))}
    </Box>
  );
}
