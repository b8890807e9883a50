import { createTheme, type Theme } from '@mui/material/styles';
import { darkDesk, lightDesk } from './tokens.ts';

/** Which desk the product lies on. */
export type Desk = 'light' | 'dark';

/** The component library in our own dress: flat paper, thin rules, no shouting. */
export function deskTheme(desk: Desk): Theme {
  const inks = desk === 'dark' ? darkDesk : lightDesk;
  return createTheme({
    palette: {
      mode: desk,
      primary: { main: inks.teal, contrastText: desk === 'dark' ? '#10201f' : '#ffffff' },
      success: { main: inks.moss },
      warning: { main: inks.ochre },
      error: { main: inks.brick },
      text: { primary: inks.ink, secondary: inks.ink2 },
      background: { default: inks.paper, paper: inks.sheet },
      divider: inks.rule,
    },
    typography: {
      fontFamily: "'Archivo Variable', sans-serif",
      fontSize: 13,
      button: { textTransform: 'none', fontWeight: 600, letterSpacing: 0 },
    },
    shape: { borderRadius: 2 },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { disableElevation: true },
        styleOverrides: { root: { minHeight: 34, paddingInline: 14, fontSize: 13 } },
      },
      MuiPaper: { styleOverrides: { root: { backgroundImage: 'none' } } },
      MuiPopover: {
        styleOverrides: {
          paper: { border: `1px solid ${inks.rule}`, boxShadow: '0 6px 24px rgba(20,18,10,.16)' },
        },
      },
      MuiDialog: { styleOverrides: { paper: { border: `1px solid ${inks.rule}` } } },
      MuiTooltip: {
        defaultProps: { arrow: false, enterDelay: 500 },
        styleOverrides: {
          tooltip: { backgroundColor: inks.ink, color: inks.paper, fontSize: 12, padding: '5px 8px' },
        },
      },
      MuiLinearProgress: { styleOverrides: { root: { height: 7, backgroundColor: inks.trough } } },
      MuiTextField: { defaultProps: { size: 'small' } },
    },
  });
}
