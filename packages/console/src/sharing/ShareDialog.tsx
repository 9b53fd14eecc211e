import {
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  MenuItem,
  TextField,
  Typography,
  useMediaQuery,
} from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { Device, Link, LinkPreview } from '@peatmoor/contract';
import { api, useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { ink } from '../theme';
import { LinkRow } from './LinkRow';
import { BACKS, ENDS, STARTS } from './words';
import { serviceNow } from '../live/clock';

export type Subject = Pick<Link, 'sort' | 'dashboardId' | 'widgetId' | 'deviceId'>;

/** Shares a dashboard, a widget or a device by a link: what a visitor will see is shown before the link exists. */
export function ShareDialog({
  subject,
  title,
  among = [],
  onClose,
}: {
  subject: Subject;
  title: string;
  /** Devices of which the visitor may be shown one alone, where the dashboard shows a chosen device. */
  among?: readonly Device[];
  onClose: () => void;
}): ReactNode {
  const phone = useMediaQuery('(max-width: 719px)');
  const links = useRead('listLinks').data;

  const make = useChange('createLink', ['listLinks']);
  const [name, setName] = useState(title);
  const [deviceId, setDevice] = useState('');
  const [back, setBack] = useState(2);
  const [end, setEnd] = useState(4);
  const [start, setStart] = useState(1);
  const [periodOpen, setOpen] = useState(true);
  const [passphrase, setPassphrase] = useState('');
  const of = { ...subject, ...(deviceId !== '' && { deviceId }) };
  const looks = { backMs: BACKS[back]![1], periodMs: STARTS[start]![1], periodOpen };
  const asked = JSON.stringify({ ...of, ...looks });
  const preview = useQuery<LinkPreview, Error>({
    queryKey: ['previewLink', asked],
    queryFn: () => api.call('previewLink', { body: JSON.parse(asked) as typeof of & typeof looks }),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
  const mine = (links ?? []).filter(
    (link) =>
      link.sort === subject.sort &&
      link.dashboardId === subject.dashboardId &&
      link.widgetId === subject.widgetId &&
      (subject.deviceId === null || link.deviceId === subject.deviceId),
  );
  const ends = ENDS[end]![1];
  const trouble = troubleOf(make.error);
  const choice = (
    label: string,
    value: number,
    set: (value: number) => void,
    choices: readonly (readonly [string, unknown])[],
  ): ReactNode => (
    <TextField select label={label} value={value} onChange={({ target }) => set(Number(target.value))}>
      {choices.map(([words], i) => (
        <MenuItem key={words} value={i}>
          {words}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="lg" fullScreen={phone}>
      <DialogTitle>Share “{title}”</DialogTitle>
      <DialogContent>
        {mine.map((link) => (
          <LinkRow key={link.id} link={link} />
        ))}
        <Box
          sx={{
            display: 'grid',
            gap: 3,
            gridTemplateColumns: { xs: '1fr', md: '300px minmax(0, 1fr)' },
            borderTop: `1px solid ${ink.line}`,
            pt: 2,
          }}
        >
          <Box
            component="form"
            id="share"
            onSubmit={(event) => {
              event.preventDefault();
              make.mutate({
                body: {
                  ...of,
                  ...looks,
                  title: name,
                  endsAt: ends === null ? null : serviceNow() + ends,
                  passphrase: passphrase === '' ? null : passphrase,
                },
              });
            }}
            sx={{ display: 'grid', gap: 2, alignContent: 'start' }}
          >
            <Typography variant="h2">A new link</Typography>
            <TextField
              label="Name of the link"
              value={name}
              onChange={({ target }) => setName(target.value)}
              {...trouble('title')}
            />
            {among.length > 1 && subject.sort !== 'device' && (
              <TextField
                select
                label="Which device it shows"
                value={deviceId}
                onChange={({ target }) => setDevice(target.value)}
              >
                <MenuItem value="">whichever the visitor chooses</MenuItem>
                {among.map((device) => (
                  <MenuItem key={device.id} value={device.id}>
                    {device.name}
                  </MenuItem>
                ))}
              </TextField>
            )}
            {choice('A visitor may look back', back, setBack, BACKS)}
            {choice('It begins with', start, setStart, STARTS)}
            <FormControlLabel
              control={<Checkbox checked={periodOpen} onChange={(_, checked) => setOpen(checked)} />}
              label="A visitor may choose another period"
            />
            {choice('The link ends', end, setEnd, ENDS)}
            <TextField
              label="Passphrase (empty for none)"
              value={passphrase}
              autoComplete="off"
              onChange={({ target }) => setPassphrase(target.value)}
              {...trouble('passphrase')}
            />
            <Notice error={make.error} beside={['title', 'passphrase']} />
          </Box>
          <Box sx={{ minWidth: 0 }}>
            <Typography variant="h2">What a visitor will see</Typography>
            <Notice error={preview.error} />
            {preview.data && (
              <>
                <Typography role="status" sx={{ mb: 1 }}>
                  {preview.data.shows}
                </Typography>
                <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
                  {preview.data.streams
                    .slice(0, 12)
                    .map((one) => `${one.title} of ${one.deviceName}`)
                    .join(' · ')}
                  {preview.data.streams.length > 12 ? ` · and ${preview.data.streams.length - 12} more` : ''}
                </Typography>
                <Box
                  component="iframe"
                  title="The page as a visitor will get it"
                  src={new URL(preview.data.page).pathname}
                  sx={{ width: '100%', height: { xs: 420, md: 520 }, border: `1px solid ${ink.line}` }}
                />
              </>
            )}
          </Box>
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Done</Button>
        <Button
          type="submit"
          form="share"
          variant="contained"
          disabled={name.trim() === '' || make.isPending}
        >
          Make the link
        </Button>
      </DialogActions>
    </Dialog>
  );
}
