import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import type { Control } from '../../devices/useControl';
import { OVERRIDE_MINUTES, useOverride } from '../../devices/useOverride';
import { HowOld } from '../../devices/HowOld';
import { CommandLine } from '../../devices/CommandLine';
import { PressMark } from '../../parts/marks';
import { Notice } from '../../parts/Notice';
import { ink } from '../../theme';
import { SampleNote } from './Sampled';

/** The frame of a widget that steers: what is pressed, and below it how far that has come, in a line of its own. */
export function Steered({
  control,
  momentary = false,
  shown,
  sample,
  beside,
  children,
}: {
  control: Control;
  /** A press has no position that could be known. */
  momentary?: boolean;
  /** What is on its way, in words, where the control itself does not say it. */
  shown?: string | undefined;
  sample: boolean;
  /** What else is told beside the state. */
  beside?: ReactNode;
  children: ReactNode;
}): ReactNode {
  const { state, command, measured, error, barred } = control;
  const override = useOverride(control);
  return (
    <Box sx={{ height: '100%', display: 'flex', flexDirection: 'column', pt: 0.75, gap: 0.5 }}>
      {children}
      <Box sx={{ minHeight: '1.4em', color: ink.soft, display: 'flex', columnGap: 2, flexWrap: 'wrap' }}>
        {/* It stands from the beginning, so that what comes is announced, once. */}
        <Box component="span" role="status" sx={{ minWidth: 0, maxWidth: '100%', '&:empty': { mr: -2 } }}>
          {state !== 'still' ? (
            <PressMark state={state} />
          ) : (
            command && (
              <>
                {shown !== undefined && control.standing.is === 'wanted' && <Beside>{shown}</Beside>}
                <CommandLine command={command} measured={measured} />
              </>
            )
          )}
        </Box>
        {sample ? <SampleNote>sample</SampleNote> : <HowOld control={control} momentary={momentary} />}
        {!sample && barred}
        {beside && <Beside>{beside}</Beside>}
      </Box>
      {override.done ? (
        <Notice tone="plain">Overridden for {OVERRIDE_MINUTES} min: press it again.</Notice>
      ) : (
        <Notice error={override.failed ?? error} />
      )}
    </Box>
  );
}

/** What may be a text of any length: two lines of it. */
function Beside({ children }: { children: ReactNode }): ReactNode {
  return (
    <Box
      component="span"
      sx={{
        display: '-webkit-box',
        WebkitLineClamp: 2,
        WebkitBoxOrient: 'vertical',
        overflow: 'hidden',
        overflowWrap: 'anywhere',
        minWidth: 0,
      }}
    >
      {children}
    </Box>
  );
}
