import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { counted } from '@peatmoor/core';
import type { Link } from '@peatmoor/contract';
import { useChange } from '../api';
import { useAsk } from '../parts/Ask';
import { Copyable } from '../parts/Copyable';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { dates } from '../parts/time';
import { ink } from '../theme';
import { frameSnippet, openedWords, pictureAddress } from './words';

/** A share link: its address, what it shows, how often it was opened, and what can be done with it. */
export function LinkRow({ link }: { link: Link }): ReactNode {
  const change = useChange('changeLink', ['listLinks']);
  const remove = useChange('deleteLink', ['listLinks']);
  const [opens, setOpens] = useState(false);
  const ask = useAsk();
  const { id, title, waiting, endsAt } = link;
  const withdraw = async (): Promise<void> => {
    const yes = await ask({
      title: `Withdraw “${title}”?`,
      text: 'The address shows nothing any more, and pages that are open with it end at once. It cannot be brought back; a new link has another address.',
      action: 'Withdraw it',
    });
    if (yes) remove.mutate({ params: { link: id } });
  };
  return (
    <Box data-link={id} sx={{ borderTop: `1px solid ${ink.faint}`, py: 1.5 }}>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap', mb: 0.75 }}>
        <Box sx={{ fontWeight: 650 }}>{title}</Box>
        <Typography variant="body2" color="textSecondary" sx={{ flex: 1, minWidth: 200 }}>
          {openedWords(link)}
          {link.hasPassphrase ? ' · with a passphrase' : ''}
          {endsAt === null ? '' : ` · until ${dates().date(endsAt)}`}
        </Typography>
        <Button size="small" onClick={() => setOpens(!opens)} aria-expanded={opens}>
          On another page
        </Button>
        <Button size="small" disabled={remove.isPending} onClick={() => void withdraw()}>
          Withdraw
        </Button>
      </Box>
      <Typography variant="body2">{link.shows}</Typography>
      <Copyable label="Address" text={link.address} />
      {waiting.length > 0 && (
        <Notice
          tone="plain"
          action={{
            label: 'Share these too',
            onClick: () => change.mutate({ params: { link: id }, body: { include: true } }),
          }}
        >
          {counted(waiting.length, 'datastream', 'datastreams')} that the dashboard shows by now{' '}
          {waiting.length === 1 ? 'is' : 'are'} not shared:{' '}
          {waiting
            .slice(0, 5)
            .map((one) => `${one.title} of ${one.deviceName}`)
            .join(', ')}
          {waiting.length > 5 ? ' …' : ''}.
        </Notice>
      )}
      {opens && <OnOtherPages link={link} />}
      <Notice error={change.error ?? remove.error} beside={['sites']} />
    </Box>
  );
}

/** How a link is shown in a page of one's own: a frame, or a picture. */
function OnOtherPages({ link }: { link: Link }): ReactNode {
  const change = useChange('changeLink', ['listLinks']);
  const [sites, setSites] = useState(link.sites.join('\n'));
  const [look, setLook] = useState('');
  const list = sites.split(/[\s,]+/).filter((one) => one !== '');
  const isKept = list.join() === link.sites.join();
  return (
    <Box sx={{ pl: 2, borderLeft: `2px solid ${ink.line}`, mt: 1 }}>
      <Box
        component="form"
        onSubmit={(event) => (
          event.preventDefault(),
          change.mutate({ params: { link: link.id }, body: { sites: list } })
        )}
        sx={{ display: 'flex', gap: 2, alignItems: 'flex-end', maxWidth: 700, mb: 1 }}
      >
        <TextField
          label="Sites that may show it in a frame, one a line"
          placeholder="https://moss.example"
          multiline
          maxRows={5}
          value={sites}
          onChange={({ target }) => setSites(target.value)}
          {...troubleOf(change.error)('sites')}
        />
        <Button type="submit" disabled={isKept || change.isPending}>
          Allow them
        </Button>
      </Box>
      {link.sites.length > 0 && (
        <>
          <TextField
            select
            label="Look"
            value={look}
            onChange={({ target }) => setLook(target.value)}
            sx={{ width: 260, mb: 1 }}
          >
            <MenuItem value="">as the reader's device is set</MenuItem>
            <MenuItem value="light">light</MenuItem>
            <MenuItem value="dark">dark</MenuItem>
            <MenuItem value="transparent">transparent</MenuItem>
          </TextField>
          <Copyable label="Frame, to paste into the page" text={frameSnippet(link, look)} />
        </>
      )}
      {link.sort === 'widget' && !link.hasPassphrase && (
        <Copyable
          label="Picture of it, for pages and mails that take only images"
          text={pictureAddress(link, link.widgetId ?? '', 'png')}
        />
      )}
    </Box>
  );
}
