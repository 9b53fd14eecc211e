import { Box, Button, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { counted } from '@peatmoor/core';
import { useChange, useRead } from '../api';
import { useAsk } from '../parts/Ask';
import { Copyable } from '../parts/Copyable';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { fieldsIn, troubleOf } from '../parts/problems';
import { useMay } from '../parts/useMay';
import { useLeftOnce } from '../people/TakesOver';
import { ink } from '../theme';
import { Test } from './Test';

/** Webhooks of the workspace. */
export function Webhooks(): ReactNode {
  const webhooks = useRead('listWebhooks');
  const create = useChange('createWebhook', ['listWebhooks']);
  const remove = useChange('deleteWebhook', ['listWebhooks']);
  const ask = useAsk();
  const may = useMay('change');
  const leftOnce = useLeftOnce(may);
  /** What deleting one brings, with the names of rules that would tell nobody. */
  const said = (id: number): string => {
    const left = leftOnce((there) => ({ ...there, webhooks: there.webhooks.filter((one) => one !== id) }));
    const named = left.map(({ title }) => `“${title}”`).join(', ');
    const without = left.length === 0 ? '' : ` ${counted(left.length, 'rule')} would tell nobody: ${named}.`;
    return `Rules that call it call nobody then.${without}`;
  };
  const [title, setTitle] = useState('');
  const [url, setUrl] = useState('');
  const [template, setTemplate] = useState('');
  const trouble = troubleOf(create.error);
  return (
    <Section title="Webhooks" note="Gateways for text messages, chat rooms and programs of your own.">
      <Notice error={webhooks.error ?? remove.error} />
      {webhooks.data?.map((hook) => (
        <Box
          key={hook.id}
          data-webhook={hook.id}
          sx={{
            display: 'flex',
            flexWrap: 'wrap',
            gap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 0.75,
          }}
        >
          <Box sx={{ flex: '1 1 220px', minWidth: 0, overflowWrap: 'anywhere' }}>
            {hook.title}
            <Box sx={{ color: ink.soft, fontSize: '0.9rem' }}>{hook.url}</Box>
          </Box>
          <Test channel="webhook" id={hook.id} />
          {may && (
            <Button
              size="small"
              variant="text"
              onClick={() =>
                void ask({
                  title: `Delete the webhook “${hook.title}”?`,
                  text: said(hook.id),
                  action: 'Delete it',
                }).then((yes) => yes && remove.mutate({ params: { webhook: hook.id } }))
              }
            >
              Delete
            </Button>
          )}
        </Box>
      ))}
      {create.data?.secret && (
        <Notice tone="good">
          Its messages are signed with this secret, shown once:
          <Copyable label="Secret" text={create.data.secret} />
        </Notice>
      )}
      {may && (
        <Box
          component="form"
          aria-label="New webhook"
          onSubmit={(event) => {
            event.preventDefault();
            create.mutate(
              { body: { title, url, template } },
              { onSuccess: () => (setTitle(''), setUrl(''), setTemplate('')) },
            );
          }}
          sx={{
            display: 'grid',
            gap: 2,
            gridTemplateColumns: { xs: '1fr', sm: '180px 1fr 1fr auto' },
            alignItems: 'start',
            mt: 2,
          }}
        >
          <TextField
            label="Name"
            value={title}
            onChange={({ target }) => setTitle(target.value)}
            {...trouble('title')}
          />
          <TextField
            label="Address"
            value={url}
            placeholder="https://gateway.example/in"
            onChange={({ target }) => setUrl(target.value)}
            {...trouble('url')}
            slotProps={{ inputLabel: { shrink: true } }}
          />
          <TextField
            label="Body"
            value={template}
            placeholder={'{"say": "{subject}"}'}
            onChange={({ target }) => setTemplate(target.value)}
            helperText="Empty for JSON with all there is."
            slotProps={{ inputLabel: { shrink: true } }}
          />
          <Button type="submit" disabled={create.isPending || title.trim() === '' || url.trim() === ''}>
            Add it
          </Button>
          <Notice
            error={create.error}
            beside={fieldsIn(create.error).filter((field) => field === 'title' || field === 'url')}
          />
        </Box>
      )}
    </Section>
  );
}

/** Addresses of others, and whether they agreed. */
export function Addresses(): ReactNode {
  const addresses = useRead('listAddresses');
  const again = useChange('askAddress', ['listAddresses']);
  const may = useMay('change');
  if ((addresses.data ?? []).length === 0) return null;
  return (
    <Section title="Other addresses" note="Alerts come to them once they agreed, by the link they were sent.">
      {addresses.data!.map(({ id, email, confirmedAt }) => (
        <Box
          key={id}
          sx={{
            display: 'flex',
            gap: 2,
            alignItems: 'center',
            borderTop: `1px solid ${ink.faint}`,
            py: 0.75,
          }}
        >
          <Box sx={{ flex: 1, minWidth: 0, overflowWrap: 'anywhere' }}>{email}</Box>
          <Box sx={{ color: ink.soft }}>{confirmedAt === null ? 'has not agreed yet' : 'agreed'}</Box>
          {confirmedAt === null && may && (
            <Button
              size="small"
              variant="text"
              disabled={again.isPending}
              onClick={() => again.mutate({ params: { address: id } })}
            >
              Ask again
            </Button>
          )}
        </Box>
      ))}
      <Notice error={addresses.error ?? again.error} />
    </Section>
  );
}
