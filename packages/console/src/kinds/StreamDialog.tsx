import { yupResolver } from '@hookform/resolvers/yup';
import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { useRef, type ReactNode } from 'react';
import { FormProvider, useForm } from 'react-hook-form';
import {
  streamChangeSchema,
  streamSchema,
  type NewStream,
  type PastUnit,
  type Stream,
} from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { EMPTY_STREAM } from './emptyStream';
import { PastChoice } from './PastChoice';
import { StreamFields } from './StreamFields';
import { problemAt } from '../parts/problems';

/** Makes a datastream or changes one; `initial` fills the fields beforehand. */
export function StreamDialog({
  kindId,
  before,
  initial,
  onClose,
  onDone,
}: {
  kindId: number;
  before?: Stream;
  initial?: Partial<NewStream>;
  onClose: () => void;
  onDone?: (stream: Stream) => void;
}): ReactNode {
  const form = useForm<NewStream>({
    resolver: yupResolver(before === undefined ? streamSchema : streamChangeSchema) as never,
    defaultValues: before === undefined ? { ...EMPTY_STREAM, ...initial } : withoutId(before),
  });
  const kind = useRead('readKind', { params: { kind: kindId } }).data;
  // What the form was filled from: somebody else's change meanwhile is not written over.
  const version = useRef(kind?.version);
  const create = useChange('createStream', ['listKinds', 'readKind']);
  const change = useChange('changeStream', ['listKinds', 'readKind']);
  const done = {
    onSuccess: (stream: Stream) => {
      onDone?.(stream);
      onClose();
    },
  };
  const send = (past?: PastUnit) =>
    form.handleSubmit((body) =>
      before === undefined
        ? create.mutate({ params: { kind: kindId }, body }, done)
        : change.mutate(
            {
              params: { kind: kindId, stream: before.key },
              body: { ...body, ...(past !== undefined && { past }) },
              ...(version.current !== undefined && { ifVersion: version.current }),
            },
            done,
          ),
    );
  const asks = problemAt(change.error, 'past');
  const after = form.watch('unit');
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <FormProvider {...form}>
        <Box component="form" onSubmit={send()} noValidate>
          <DialogTitle sx={{ fontWeight: 700 }}>
            {before === undefined ? 'New datastream' : before.title}
          </DialogTitle>
          <DialogContent sx={{ display: 'grid', gap: 2 }}>
            {kind !== undefined && <StreamFields name="" kind={kind} />}
            {before !== undefined && asks !== undefined && !asks.reason.startsWith('cannot') ? (
              <PastChoice
                from={before.unit!}
                to={after ?? ''}
                reason={asks.reason}
                onChoice={(past) => void send(past)()}
              />
            ) : (
              <Notice error={create.error ?? change.error} />
            )}
          </DialogContent>
          <DialogActions sx={{ px: 3, pb: 2 }}>
            <Button onClick={onClose}>Cancel</Button>
            <Button type="submit" variant="contained" color="primary">
              {before === undefined ? 'Add it' : 'Change it'}
            </Button>
          </DialogActions>
        </Box>
      </FormProvider>
    </Dialog>
  );
}

function withoutId({ id: _id, ...stream }: Stream): NewStream {
  return stream;
}
