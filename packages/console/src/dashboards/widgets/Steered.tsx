import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { Control } from '../../devices/useControl';
import { CommandMark, PressMark } from '../../parts/marks';
import { Notice } from '../../parts/Notice';
import { ink } from '../../theme';

/** The frame of a widget that steers: what is pressed, and below it how far that has come, in a line of its own. */
export function Steered({
  control: { state, command, error },
  sample,
  beside,
  children,
}: {
  control: Control;
  sample: boolean;
  /** What else is told beside the state. */
  beside?: ReactNode;
  children: ReactNode;
}): ReactNode {
  return (
    <Box
      sx={{ height: '100%', display: 'flex', flexDirection: 'column', justifyContent: 'center', gap: 0.5 }}
    >
      {children}
      <Box sx={{ minHeight: '1.4em', color: ink.soft, display: 'flex', columnGap: 2, flexWrap: 'wrap' }}>
        {state !== 'still' ? (
          <PressMark state={state} />
        ) : (
          command && <CommandMark state={command.state} note={command.note} />
        )}
        {sample && 'sample'}
        {beside}
      </Box>
      <Notice error={error} />
    </Box>
  );
}
