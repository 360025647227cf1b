/** The look of MUI’s parts, made from the same tokens as everything else. */
import { createTheme } from '@mui/material/styles'

const scheme = (dark: boolean) => ({
  palette: {
    primary: { main: dark ? '#9CC3D5' : '#2F4858', contrastText: dark ? '#151218' : '#FFFFFF' },
    error: { main: dark ? '#FF8A80' : '#B3261E' },
    background: { default: dark ? '#151218' : '#F3F1F5', paper: dark ? '#1E1A23' : '#FFFFFF' },
    text: { primary: dark ? '#EFEAF3' : '#251A2C', secondary: dark ? '#A99DB3' : '#6A5E73' },
    divider: dark ? '#38313F' : '#D9D3DF',
  },
})

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data' },
  colorSchemes: { light: scheme(false), dark: scheme(true) },
  shape: { borderRadius: 3 },
  typography: {
    fontFamily: 'var(--text)',
    fontSize: 13,
    button: { textTransform: 'none', fontWeight: 600 },
  },
  components: {
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiButton: {
      defaultProps: { disableElevation: true, size: 'small' },
      styleOverrides: {
        root: {
          minHeight: 31,
          padding: '3px 13px',
          lineHeight: 1.35,
          '&:focus-visible': { outline: '2px solid var(--brass)', outlineOffset: 2 },
        },
        outlined: { borderColor: 'var(--border)', color: 'var(--petrol)' },
      },
    },
    // Labels stand above their fields: nothing floats, nothing is cut out of an edge.
    MuiInputLabel: {
      styleOverrides: {
        root: {
          position: 'static',
          transform: 'none',
          fontSize: 12,
          lineHeight: 1.3,
          marginBottom: 3,
          maxWidth: 'none',
          '&.Mui-focused': { color: 'var(--ink-soft)' },
        },
      },
    },
    MuiFormControlLabel: { styleOverrides: { label: { fontSize: 13 } } },
    MuiFormHelperText: {
      styleOverrides: { root: { fontSize: 11.5, marginLeft: 1, marginRight: 0, lineHeight: 1.3 } },
    },
    MuiTextField: { defaultProps: { size: 'small', variant: 'outlined' } },
    MuiOutlinedInput: {
      styleOverrides: {
        root: {
          background: 'var(--sheet)',
          fontSize: 13,
          '& .MuiOutlinedInput-notchedOutline': {
            borderColor: 'var(--border)',
            top: 0,
            '& legend': { display: 'none' },
          },
          '&.Mui-focused .MuiOutlinedInput-notchedOutline': { borderColor: 'var(--brass)' },
        },
        input: { padding: '6px 9px', height: '1.4em' },
      },
    },
    MuiSelect: { styleOverrides: { select: { padding: '6px 9px', minHeight: '1.4em' } } },
    MuiDialog: {
      styleOverrides: {
        paper: {
          backgroundImage: 'none',
          border: '1px solid var(--border)',
          boxShadow: '0 12px 40px rgb(0 0 0 / 0.25)',
        },
      },
    },
    MuiMenuItem: { styleOverrides: { root: { fontSize: 13, minHeight: 30 } } },
    MuiTooltip: {
      styleOverrides: {
        tooltip: { background: 'var(--ink)', color: 'var(--ground)', fontSize: 12 },
      },
    },
    MuiCheckbox: { defaultProps: { size: 'small' } },
  },
})
