import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { Datastream } from '@peatmoor/core';
import { imagePath } from '@peatmoor/contract';
import { under } from '../base';
import { forVisitor } from '../visitor';
import { dates } from './time';

/** The picture of an image datastream at a time, within the room it is given. */
export function Picture({
  device,
  stream,
  at,
}: {
  device: string;
  stream: Pick<Datastream, 'key' | 'title'>;
  at: number;
}): ReactNode {
  return (
    <Box
      component="img"
      src={under(forVisitor(imagePath(device, stream.key, at)))}
      alt={`${stream.title}, ${dates().exact(at)}`}
      sx={{ display: 'block', maxWidth: '100%', maxHeight: '100%', objectFit: 'contain' }}
    />
  );
}
