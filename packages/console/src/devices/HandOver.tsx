import { Box, Button, Checkbox, FormControlLabel } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { useChange } from '../api';
import { Copyable } from '../parts/Copyable';
import { Section } from '../parts/Heading';
import { Notice } from '../parts/Notice';

/** Offers a device to another workspace, with its history. */
export function HandOver({ device }: { device: string }): ReactNode {
  const offer = useChange('offerDevice');
  const withdraw = useChange('withdrawOffer');
  const [keepsTokens, setKeeps] = useState(true);
  const params = { device };
  return (
    <Section
      title="Hand it over"
      note="To another workspace, with its history. This one keeps nothing of it: its events, rules and links here end."
    >
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <FormControlLabel
          control={<Checkbox checked={keepsTokens} onChange={(_, checked) => setKeeps(checked)} />}
          label="The board goes on with the token it has"
        />
        <Button
          disabled={offer.isPending}
          onClick={() =>
            offer.mutate({ params, body: { keepsTokens } }, { onSuccess: () => withdraw.reset() })
          }
        >
          Make an offer
        </Button>
        {offer.data && !withdraw.isSuccess && (
          <Button disabled={withdraw.isPending} onClick={() => withdraw.mutate({ params })}>
            Withdraw the offer
          </Button>
        )}
      </Box>
      {offer.data && !withdraw.isSuccess && (
        <Copyable
          label="For an owner or editor of the other workspace: works once, for a week, shown only now"
          text={offer.data.link}
        />
      )}
      <Notice error={offer.error ?? withdraw.error} />
    </Section>
  );
}
