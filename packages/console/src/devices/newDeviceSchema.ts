import { yupResolver } from '@hookform/resolvers/yup';
import type { Resolver } from 'react-hook-form';
import { array, object, string } from 'yup';
import { newKindSchema, streamSchema, type NewStream } from '@peatmoor/contract';

/** The form of a new device; datastreams only where it is the first of its kind. */
export interface NewDeviceFields {
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

export const newDeviceResolver = (isNewKind: boolean): Resolver<NewDeviceFields> =>
  yupResolver(isNewKind ? schema : schema.omit(['streams'])) as never;
