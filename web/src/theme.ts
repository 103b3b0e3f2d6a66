import '@fontsource-variable/atkinson-hyperlegible-next/index.css';
import { createTheme } from '@mui/material/styles';

declare module '@mui/material/styles' {
  interface Palette {
    leader: Palette['primary'];
    follower: Palette['primary'];
    fine: Palette['primary'];
    caution: Palette['primary'];
  }
  interface PaletteOptions {
    leader: PaletteOptions['primary'];
    follower: PaletteOptions['primary'];
    fine: PaletteOptions['primary'];
    caution: PaletteOptions['primary'];
  }
}

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data-scheme' },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: '#22303A', contrastText: '#FFFCF6' },
        leader: { main: '#0B6670', contrastText: '#FFFFFF' },
        follower: { main: '#9C3A5C', contrastText: '#FFFFFF' },
        fine: { main: '#CFDCCB' },
        caution: { main: '#9A5206', contrastText: '#FFFFFF' },
        background: { default: '#F4EFE6', paper: '#FFFCF6' },
        text: { primary: '#22303A', secondary: '#55616A' },
        divider: '#DCD2C1',
      },
    },
    dark: {
      palette: {
        primary: { main: '#ECE6DA', contrastText: '#1B2126' },
        leader: { main: '#67C6D0', contrastText: '#10272A' },
        follower: { main: '#EB9AB5', contrastText: '#34121F' },
        fine: { main: '#33503D' },
        caution: { main: '#EBA955', contrastText: '#2C1B04' },
        background: { default: '#171C20', paper: '#1F262B' },
        text: { primary: '#ECE6DA', secondary: '#AAB3B9' },
        divider: '#39434B',
      },
    },
  },
  shape: { borderRadius: 10 },
  typography: {
    fontFamily: '"Atkinson Hyperlegible Next Variable", sans-serif',
    fontSize: 13,
    h1: { fontSize: 18, fontWeight: 700 },
    h2: { fontSize: 15, fontWeight: 700 },
    h3: { fontSize: 13, fontWeight: 700 },
    body1: { fontSize: 14 },
    body2: { fontSize: 13 },
    caption: { fontSize: 12 },
    button: { textTransform: 'none', fontWeight: 600 },
  },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        body: { fontVariantNumeric: 'tabular-nums' },
        // Who asked the system for less motion gets none here.
        '@media (prefers-reduced-motion: reduce)': {
          '*, *::before, *::after': {
            animationDuration: '0.01ms !important',
            animationIterationCount: '1 !important',
            transitionDuration: '0.01ms !important',
            scrollBehavior: 'auto !important',
          },
        },
        // Paper is white, whatever the screen is.
        '@media print': {
          ':root[data-scheme]': {
            '--mui-palette-text-primary': '#111111',
            '--mui-palette-text-secondary': '#444444',
            '--mui-palette-background-default': '#FFFFFF',
            '--mui-palette-background-paper': '#FFFFFF',
            '--mui-palette-divider': '#BBBBBB',
            '--mui-palette-leader-main': '#0B6670',
            '--mui-palette-follower-main': '#9C3A5C',
            '--mui-palette-caution-main': '#9A5206',
          },
        },
        a: { color: 'inherit', textUnderlineOffset: '2px' },
        'a:focus-visible': { outline: '2px solid', outlineOffset: '2px' },
      },
    },
    MuiCard: { defaultProps: { variant: 'outlined' } },
    MuiButton: { defaultProps: { size: 'small', disableElevation: true } },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiTable: { defaultProps: { size: 'small' } },
    MuiToggleButton: {
      styleOverrides: { root: { color: 'var(--mui-palette-text-secondary)' } },
    },
  },
});

const colour = (name: string) => `var(--mui-palette-${name})`;

/** Colours for drawings; the only place where they have names outside the theme. */
export const tone = {
  leader: colour('leader-main'),
  follower: colour('follower-main'),
  fine: colour('fine-main'),
  caution: colour('caution-main'),
  ink: colour('text-primary'),
  second: colour('text-secondary'),
  hairline: colour('divider'),
  paper: colour('background-default'),
  card: colour('background-paper'),
  selected: colour('action-selected'),
};

/** The stage is dark in both schemes: it is for the film. */
export const stage = {
  ground: '#15191C',
  leader: '#5FD0DC',
  follower: '#FF9DBE',
  grid: '#FFE9B0',
  mark: '#FFC857',
  ink: '#F4EFE6',
};
