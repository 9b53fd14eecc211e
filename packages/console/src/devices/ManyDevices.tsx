import { Box, Button, TextField } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { counted, sheetCell } from '@peatmoor/core';
import { useChange } from '../api';
import { downloadText } from '../parts/Copyable';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';

/** Registers many devices from a list, all or none, and gives a list of IDs and tokens. */
export function ManyDevices(): ReactNode {
  const [csv, setCsv] = useState('');
  const create = useChange('createDevices', ['listDevices', 'listKinds', 'overview']);
  const made = create.data;
  const file =
    made &&
    ['id,name,token', ...made.map((one) => [one.id, one.name, one.token].map(sheetCell).join(','))].join(
      '\n',
    );
  return (
    <Section
      title="Many at once"
      note="A list with the columns name and kind; labels with semicolons between."
    >
      <TextField
        label="The list"
        multiline
        minRows={3}
        maxRows={10}
        placeholder={'name,kind,labels\nDipwell East,Dipwell,moss;east'}
        value={csv}
        onChange={({ target }) => setCsv(target.value)}
        sx={{ maxWidth: 620 }}
      />
      <Box sx={{ mt: 1.5 }}>
        <Button
          disabled={csv.trim() === '' || create.isPending}
          onClick={() => create.mutate({ body: { csv } })}
        >
          Register them
        </Button>
      </Box>
      <Notice error={create.error} />
      {made && (
        <Notice
          tone="good"
          action={{ label: 'Download IDs and tokens', onClick: () => downloadText('tokens.csv', file!) }}
        >
          {counted(made.length, 'device is', 'devices are')} registered. Their tokens are shown only now.
        </Notice>
      )}
    </Section>
  );
}
