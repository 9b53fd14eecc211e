import { yupResolver } from '@hookform/resolvers/yup';
import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { useRef, type ReactNode } from 'react';
import { FormProvider, useForm } from 'react-hook-form';
import { streamSchema, type NewStream, type Stream } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { Notice } from '../parts/Notice';
import { EMPTY_STREAM } from './emptyStream';
import { StreamFields } from './StreamFields';

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
    resolver: yupResolver(streamSchema) as never,
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
  const submit = form.handleSubmit((body) =>
    before === undefined
      ? create.mutate({ params: { kind: kindId }, body }, done)
      : change.mutate(
          {
            params: { kind: kindId, stream: before.key },
            body,
            ...(version.current !== undefined && { ifVersion: version.current }),
          },
          done,
        ),
  );
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <FormProvider {...form}>
        <Box component="form" onSubmit={submit} noValidate>
          <DialogTitle sx={{ fontWeight: 700 }}>
            {before === undefined ? 'New datastream' : before.title}
          </DialogTitle>
          <DialogContent sx={{ display: 'grid', gap: 2 }}>
            {kind !== undefined && <StreamFields name="" kind={kind} />}
            <Notice error={create.error ?? change.error} />
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
