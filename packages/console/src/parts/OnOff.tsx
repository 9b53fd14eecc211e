import { Box, ButtonBase } from '@mui/material';
import type { ReactNode } from 'react';
import { ink } from '../theme';

/** Two words beside each other, of which one holds: on a dashboard and on a device's page alike. */
export function OnOff({
  on,
  label,
  disabled,
  onPress,
}: {
  /** Undefined where it is not known. */
  on: boolean | undefined;
  label: string;
  disabled: boolean;
  onPress: (on: boolean) => void;
}): ReactNode {
  return (
    <ButtonBase
      role="switch"
      aria-checked={on === true}
      aria-label={label}
      disabled={disabled}
      onClick={() => onPress(on !== true)}
      sx={{
        alignSelf: 'flex-start',
        display: 'grid',
        gridTemplateColumns: '1fr 1fr',
        border: `1.5px solid ${ink.ink}`,
        borderRadius: '2px',
        fontSize: '1rem',
        minHeight: 44,
        minWidth: 130,
        '&.Mui-disabled': { opacity: 0.6 },
      }}
    >
      {['off', 'on'].map((word, i) => {
        const chosen = on !== undefined && on === (i === 1);
        return (
          <Box
            key={word}
            component="span"
            sx={{
              px: 2,
              height: '100%',
              display: 'grid',
              placeItems: 'center',
              bgcolor: chosen ? ink.ink : 'transparent',
              color: chosen ? ink.paper : ink.soft,
              fontWeight: chosen ? 700 : 400,
            }}
          >
            {word}
          </Box>
        );
      })}
    </ButtonBase>
  );
}
