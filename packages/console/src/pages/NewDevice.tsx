import { Box, Button, MenuItem, TextField } from '@mui/material';
import { Suspense, useEffect, useState, type ReactNode } from 'react';
import { FormProvider, useForm, type Resolver } from 'react-hook-form';
import { useNavigate, useSearchParams } from 'react-router';
import { counted, proposeDeviceId } from '@peatmoor/core';
import type { MadeDevice } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { NumberField } from '../kinds/NumberField';
import { EMPTY_STREAM } from '../kinds/emptyStream';
import type { NewDeviceFields } from '../devices/newDeviceSchema';
import { TokenOnce } from '../devices/TokenOnce';
import { Heading } from '../parts/Heading';
import { later } from '../parts/later';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';

/** What one empty datastream takes of the page, in px. */
const STREAMS_PX = 470;

const NewStreams = later(() => import('../devices/NewStreams'), 'NewStreams');

const fetchSchema = () => import('../devices/newDeviceSchema').catch(() => null);

/**
 * What is wrong with what was written is asked once the page is there: it is drawn without schemas. Where they cannot be
 * fetched nothing waits for them, as the service says what is wrong too.
 */
const resolverOf =
  (isNewKind: boolean): Resolver<NewDeviceFields> =>
  async (values, ...more) => {
    const file = await fetchSchema();
    return file === null ? { values, errors: {} } : file.newDeviceResolver(isNewKind)(values, ...more);
  };

/** Names a device and lists what it measures and accepts; or adds another of a kind. */
export function NewDevice(): ReactNode {
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const kinds = useRead('listKinds').data ?? [];
  const devices = useRead('listDevices').data ?? [];
  const [kindId, setKindId] = useState<number | null>(search.has('kind') ? Number(search.get('kind')) : null);
  const [made, setMade] = useState<MadeDevice | null>(null);
  const create = useChange('createDevice', ['listDevices', 'listKinds', 'overview']);
  const kind = kinds.find(({ id }) => id === kindId);
  const form = useForm<NewDeviceFields>({
    resolver: resolverOf(kindId === null),
    defaultValues: { name: '', id: '', intervalS: 60, streams: [EMPTY_STREAM] },
  });
  const { register, handleSubmit, watch, formState } = form;
  useEffect(() => void fetchSchema(), []);
  const taken = new Set(devices.map(({ id }) => id));
  const trouble = troubleOf(create.error);
  const name = watch('name');
  const proposed = name ? proposeDeviceId(name, taken) : '';

  const submit = handleSubmit(({ id, intervalS, streams, name: title }) => {
    const wanted = id || proposed;
    const body =
      kindId === null
        ? { name: title, id: wanted, newKind: { title, intervalS, streams } }
        : { name: title, id: wanted, kindId };
    create.mutate({ body }, { onSuccess: setMade });
  });
  if (made !== null)
    return (
      <TokenOnce
        device={made.device}
        token={made.token}
        onDone={() => void navigate(`/devices/${made.device.id}`, { state: { token: made.token } })}
      />
    );
  return (
    <FormProvider {...form}>
      <Box component="form" onSubmit={submit} noValidate sx={{ maxWidth: 860 }}>
        <Heading
          title={kind ? `Another ${kind.title}` : 'New device'}
          below={
            kind
              ? 'It has the same datastreams as the others of its kind.'
              : 'Name it, and list what it measures and accepts.'
          }
        />
        <Box sx={{ display: 'grid', gap: 3, gridTemplateColumns: { sm: '2fr 1fr' } }}>
          <TextField
            label="Name"
            autoFocus
            placeholder="Dipwell North"
            {...register('name')}
            error={!!formState.errors.name}
            helperText={formState.errors.name?.message}
            {...trouble('name')}
          />
          <TextField
            label="Device ID"
            placeholder={proposed || 'dipwell-north'}
            {...register('id')}
            helperText="Its MQTT user name; proposed from the name."
            {...trouble('id')}
          />
          {kinds.length > 0 && (
            <TextField
              select
              label="Kind"
              value={kindId ?? ''}
              onChange={({ target }) => setKindId(target.value === '' ? null : Number(target.value))}
              slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            >
              <MenuItem value="">a new one, listed below</MenuItem>
              {kinds.map(({ id, title, streams }) => (
                <MenuItem key={id} value={id}>
                  {title} ({counted(streams.length, 'datastream')})
                </MenuItem>
              ))}
            </TextField>
          )}
          {kindId === null && (
            <NumberField
              name="intervalS"
              label="Report interval (seconds)"
              error={formState.errors.intervalS?.message}
            />
          )}
        </Box>
        {kindId === null && (
          <Suspense fallback={<Box sx={{ height: STREAMS_PX }} />}>
            <NewStreams />
          </Suspense>
        )}
        <Notice error={create.error} beside={['name', 'id']} />
        <Box sx={{ mt: 4 }}>
          <Button
            type="submit"
            variant="contained"
            color="primary"
            disabled={create.isPending || formState.isSubmitting}
          >
            Register and get its token
          </Button>
        </Box>
      </Box>
    </FormProvider>
  );
}
