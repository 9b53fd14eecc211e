import { yupResolver } from '@hookform/resolvers/yup';
import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useState, type ReactNode } from 'react';
import { FormProvider, useFieldArray, useForm, useFormContext } from 'react-hook-form';
import { useNavigate, useSearchParams } from 'react-router';
import { array, object, string } from 'yup';
import {
  counted,
  proposeDeviceId,
  showUnit,
  streamsOfModules,
  type Datastream,
  type Module,
} from '@peatmoor/core';
import { newKindSchema, streamSchema, type MadeDevice, type NewStream } from '@peatmoor/contract';
import { useChange, useRead } from '../api';
import { NumberField } from '../kinds/NumberField';
import { PartsField } from '../kinds/PartsField';
import { StreamFields } from '../kinds/StreamFields';
import { EMPTY_STREAM } from '../kinds/emptyStream';
import { TokenOnce } from '../devices/TokenOnce';
import { Heading } from '../parts/Heading';
import { Notice } from '../parts/Notice';
import { troubleOf } from '../parts/problems';
import { dates } from '../parts/time';
import { ink, MONO } from '../theme';

interface Fields {
  name: string;
  id: string;
  intervalS: number;
  streams: NewStream[];
}

const schema = object({
  name: string().trim().min(1).max(80).required('Give it a name.'),
  id: string().defined(),
  intervalS: newKindSchema.fields.intervalS,
  streams: array(streamSchema).required(),
});

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
  const form = useForm<Fields>({
    resolver: yupResolver(kindId === null ? schema : schema.omit(['streams'])) as never,
    defaultValues: { name: '', id: '', intervalS: 60, streams: [EMPTY_STREAM] },
  });
  const { register, handleSubmit, watch, formState } = form;
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
        {kindId === null && <StreamList />}
        <Notice error={create.error} beside={['name', 'id']} />
        <Box sx={{ mt: 4 }}>
          <Button type="submit" variant="contained" color="primary" disabled={create.isPending}>
            Register and get its token
          </Button>
        </Box>
      </Box>
    </FormProvider>
  );
}

function StreamList(): ReactNode {
  const { getValues } = useFormContext<Fields>();
  const { fields, append, remove, replace } = useFieldArray<Fields, 'streams'>({ name: 'streams' });
  // What a part filled in is one line until somebody wants to change it.
  const [opened, setOpened] = useState<ReadonlySet<string>>(new Set());
  const add = (module: Module): void => {
    const there = getValues('streams').filter(({ title, key }) => title !== '' || key !== '');
    const made = streamsOfModules([module], dates().zone, there as Datastream[]);
    replace([...there, ...made.map((one) => ({ ...one, unconfirmed: false }))]);
  };
  return (
    <Box sx={{ mt: 5 }}>
      <Typography variant="h2">What it measures and accepts</Typography>
      <Typography color="textSecondary" variant="body2" sx={{ mb: 2 }}>
        Each line is a datastream. More can be added at any time, also from a name that arrives.
      </Typography>
      <Box sx={{ maxWidth: 520, mb: 2 }}>
        <PartsField onAdd={add} />
      </Box>
      {fields.map((field, i) => {
        const folded = (field.part !== null || field.computation !== null) && !opened.has(field.key);
        return (
          <Box
            key={field.id}
            data-stream={i}
            sx={{
              borderTop: `1px solid ${ink.line}`,
              py: folded ? 1 : 2.5,
              ...(folded && { display: 'flex', flexWrap: 'wrap', alignItems: 'baseline', columnGap: 2 }),
            }}
          >
            {folded ? (
              <>
                <b>{field.title}</b>
                <Box component="span" sx={{ fontFamily: MONO }}>
                  {field.key}
                </Box>
                <Box component="span" sx={{ color: ink.soft, flexGrow: 1 }}>
                  {saidOf(field)}
                </Box>
                <Button
                  variant="text"
                  size="small"
                  aria-label={`Change ${field.title}`}
                  onClick={() => setOpened(new Set([...opened, field.key]))}
                >
                  Change
                </Button>
              </>
            ) : (
              <StreamFields name={`streams.${i}`} />
            )}
            <Button
              variant="text"
              size="small"
              aria-label={`Leave out ${field.title || 'this datastream'}`}
              onClick={() => remove(i)}
              sx={folded ? {} : { mt: 1 }}
            >
              Leave out
            </Button>
          </Box>
        );
      })}
      <Button onClick={() => append(EMPTY_STREAM)}>Add a datastream</Button>
    </Box>
  );
}

/** A datastream in a line: what it comes from, how far it goes, and where it is wired. */
function saidOf(stream: NewStream): string {
  const { unit, min, max, boardPin, direction, computation, type } = stream as Datastream;
  return [
    computation !== null ? 'computed' : direction === 'control' ? 'output' : '',
    type === 'number' || type === 'integer' ? '' : type,
    min !== null && max !== null
      ? `${min} to ${max} ${showUnit(unit)}`.trim()
      : unit === null
        ? ''
        : `in ${showUnit(unit) || unit}`,
    boardPin,
  ]
    .filter(Boolean)
    .join(' · ');
}
