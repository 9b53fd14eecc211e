import { createTheme, type Theme } from '@mui/material/styles';
import { DARK_INKS, LIGHT_INKS, type Inks } from '@peatmoor/core';

declare module '@mui/material/styles' {
  interface Palette {
    inks: Inks;
  }
  interface PaletteOptions {
    inks: Inks;
  }
}

/** The colours as CSS variables, which follow the chosen scheme. */
export const ink = Object.fromEntries(
  Object.keys(LIGHT_INKS).map((name) => [name, `var(--mui-palette-inks-${name})`]),
) as Inks;

export const MONO = '"Atkinson Hyperlegible Mono Variable", monospace';
const TEXT = '"Atkinson Hyperlegible Next Variable", sans-serif';

const palette = (inks: Inks) => ({
  primary: { main: inks.heather, contrastText: inks.paper },
  secondary: { main: inks.pool, contrastText: inks.paper },
  error: { main: inks.rowan },
  success: { main: inks.moss },
  info: { main: inks.pool },
  warning: { main: inks.gorse, contrastText: inks.peat },
  background: { default: inks.paper, paper: inks.paper },
  text: { primary: inks.ink, secondary: inks.soft },
  divider: inks.line,
  inks,
});

export const theme: Theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data-theme' },
  colorSchemes: { light: { palette: palette(LIGHT_INKS) }, dark: { palette: palette(DARK_INKS) } },
  shape: { borderRadius: 2 },
  typography: {
    fontFamily: TEXT,
    fontSize: 15,
    h1: { fontSize: '1.9rem', fontWeight: 700, lineHeight: 1.2, letterSpacing: '-0.01em' },
    h2: { fontSize: '1.25rem', fontWeight: 700, lineHeight: 1.3 },
    h3: { fontSize: '1rem', fontWeight: 700, lineHeight: 1.4 },
    button: { textTransform: 'none', fontWeight: 600, fontSize: '0.95rem' },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        body: { overflowY: 'scroll', overflowWrap: 'break-word' },
        a: { color: 'inherit', textUnderlineOffset: '0.2em', textDecorationThickness: '1px' },
        ':focus-visible': { outline: `2px solid ${ink.heather}`, outlineOffset: 2 },
        '@media (prefers-reduced-motion: reduce)': {
          '*, *::before, *::after': {
            animationDuration: '0.01ms !important',
            animationIterationCount: '1 !important',
            transitionDuration: '0.01ms !important',
            scrollBehavior: 'auto !important',
          },
        },
      },
    },
    MuiButtonBase: {
      defaultProps: { disableRipple: true },
      styleOverrides: {
        root: { '&.Mui-focusVisible': { outline: `2px solid ${ink.heather}`, outlineOffset: 2 } },
      },
    },
    MuiButton: {
      defaultProps: { disableElevation: true, variant: 'outlined', color: 'inherit' },
      styleOverrides: {
        root: {
          borderRadius: 2,
          paddingInline: 14,
          minHeight: 38,
          borderColor: ink.line,
          whiteSpace: 'nowrap',
          flexShrink: 0,
        },
        contained: {
          '&.MuiButton-colorPrimary, &.MuiButton-colorInherit': {
            backgroundColor: ink.ink,
            color: ink.paper,
            '&:hover': { backgroundColor: ink.heather },
            '&.Mui-disabled': { opacity: 0.5 },
          },
        },
        text: {
          paddingInline: 4,
          minWidth: 0,
          textDecoration: 'underline',
          textUnderlineOffset: '0.25em',
          textDecorationThickness: '1px',
        },
      },
    },
    MuiPaper: {
      defaultProps: { elevation: 0 },
      styleOverrides: { root: { backgroundImage: 'none', boxShadow: 'none' } },
    },
    MuiDialog: { styleOverrides: { paper: { border: `1px solid ${ink.ink}`, boxShadow: 'none' } } },
    MuiMenu: { styleOverrides: { paper: { border: `1px solid ${ink.line}` } } },
    MuiAutocomplete: { styleOverrides: { paper: { border: `1px solid ${ink.line}` } } },
    MuiTextField: {
      defaultProps: { variant: 'standard', fullWidth: true, slotProps: { inputLabel: { shrink: true } } },
    },
    MuiInputLabel: { styleOverrides: { root: { color: ink.soft, fontWeight: 600 } } },
    MuiInput: { styleOverrides: { root: { '&::before': { borderColor: ink.soft } } } },
    MuiTooltip: {
      styleOverrides: {
        tooltip: { backgroundColor: ink.ink, color: ink.paper, fontSize: '0.85rem', borderRadius: 2 },
      },
    },
    MuiCheckbox: { defaultProps: { color: 'primary' } },
  },
});
