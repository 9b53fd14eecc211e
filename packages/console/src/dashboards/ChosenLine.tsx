import { Box } from '@mui/material';
import { Suspense, type ReactNode } from 'react';
import { later } from '../parts/later';
import type { Chosen } from './useChosen';

const ChosenDevice = later(() => import('./ChosenDevice'), 'ChosenDevice');

/** The height of the line, in px, two lines on a phone: kept free until it is there. */
const HEIGHT_PX = { xs: 100, sm: 55 };

/** The line in which the device is chosen that a dashboard shows, where there is more than one. */
export function ChosenLine({ chosen }: { chosen: Chosen }): ReactNode {
  if (chosen.among.length < 2) return null;
  return (
    <Suspense fallback={<Box sx={{ height: HEIGHT_PX, mb: 3 }} />}>
      <ChosenDevice chosen={chosen} />
    </Suspense>
  );
}
