import { Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { ApiError } from '@peatmoor/contract';
import { Heading } from './Heading';
import { Notice } from './Notice';

/** In place of a page whose thing is not there, or cannot be read: why, and a way back. */
export function NotThere({
  error,
  what,
  back,
}: {
  error: Error | null;
  /** What it would be: "device". */
  what: string;
  /** The list that it would be in: its words and its place. */
  back: [words: string, to: string];
}): ReactNode {
  if (error === null) return null;
  const gone = error instanceof ApiError && error.problem.status === 404;
  return (
    <>
      <Heading title={gone ? `No such ${what}` : 'Not reached'} />
      {gone ? (
        <Typography>It was deleted, or the address is not right.</Typography>
      ) : (
        <Notice error={error} />
      )}
      <Typography sx={{ mt: 2 }}>
        <Link to={back[1]}>{back[0]}</Link>
      </Typography>
    </>
  );
}
