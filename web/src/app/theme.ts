import { createTheme } from '@mui/material/styles';

// Colours carry meaning, never mood: received, transmitted, belief. MUI's "secondary" stands for transmitted.
declare module '@mui/material/styles' {
  interface Palette {
    received: string;
    transmitted: string;
    belief: string;
    line: string;
  }
  interface PaletteOptions {
    received: string;
    transmitted: string;
    belief: string;
    line: string;
  }
}

export const mono = '"Source Code Pro", ui-monospace, monospace';

const light = {
  received: '#0F766E',
  transmitted: '#C2410C',
  belief: '#86198F',
  line: '#D8D3C7',
  background: { default: '#F7F5F0', paper: '#F7F5F0' },
  text: { primary: '#1B2330', secondary: '#565C68' },
  primary: { main: '#1B2330', contrastText: '#F7F5F0' },
  secondary: { main: '#C2410C', contrastText: '#FFFFFF' },
  divider: '#D8D3C7',
};

const dark = {
  received: '#5EC9BF',
  transmitted: '#F79A6B',
  belief: '#DE9BE6',
  line: '#3A4350',
  background: { default: '#161B23', paper: '#161B23' },
  text: { primary: '#ECE8DF', secondary: '#A9AFBA' },
  primary: { main: '#ECE8DF', contrastText: '#161B23' },
  secondary: { main: '#F79A6B', contrastText: '#161B23' },
  divider: '#3A4350',
};

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'media' },
  colorSchemes: { light: { palette: light }, dark: { palette: dark } },
  shape: { borderRadius: 3 },
  typography: {
    fontFamily: '"Source Sans 3", system-ui, sans-serif',
    fontSize: 15,
    h1: { fontSize: '1.75rem', fontWeight: 600, letterSpacing: '-0.01em' },
    h2: { fontSize: '1.15rem', fontWeight: 600 },
    h3: { fontSize: '1rem', fontWeight: 600 },
    button: { textTransform: 'none', fontWeight: 600 },
  },
  components: {
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true },
      styleOverrides: {
        root: {
          minHeight: 44,
          '&.Mui-focusVisible': { outline: '3px solid currentColor', outlineOffset: 2 },
        },
      },
    },
    MuiTextField: { defaultProps: { variant: 'standard', fullWidth: true } },
    MuiSelect: { defaultProps: { variant: 'standard' } },
    MuiSlider: { styleOverrides: { thumb: { '&::before': { boxShadow: 'none' } } } },
    MuiPaper: { defaultProps: { elevation: 0 }, styleOverrides: { root: { backgroundImage: 'none' } } },
    MuiDialog: { styleOverrides: { paper: { border: '1px solid', borderColor: 'inherit' } } },
  },
});
