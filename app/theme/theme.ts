/** The look of MUI’s parts, made from the same tokens as everything else. */
import { createTheme } from '@mui/material/styles'
import type {} from '@mui/x-data-grid/themeAugmentation'
import type {} from '@mui/x-date-pickers/themeAugmentation'
import { dataGrid } from './data-grid'

const scheme = (dark: boolean) => ({
  palette: {
    primary: { main: dark ? '#9CC3D5' : '#2F4858', contrastText: dark ? '#151218' : '#FFFFFF' },
    error: { main: dark ? '#FF8A80' : '#B3261E' },
    background: { default: dark ? '#151218' : '#F3F1F5', paper: dark ? '#1E1A23' : '#FFFFFF' },
    text: { primary: dark ? '#EFEAF3' : '#251A2C', secondary: dark ? '#A99DB3' : '#6A5E73' },
    divider: dark ? '#38313F' : '#D9D3DF',
  },
})

const focusRing = { outline: '2px solid var(--brass)', outlineOffset: -2 }

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
    MuiCheckbox: {
      defaultProps: { size: 'small' },
      styleOverrides: { root: { padding: 4, '&.Mui-focusVisible': focusRing } },
    },
    MuiRadio: { styleOverrides: { root: { padding: 4, '&.Mui-focusVisible': focusRing } } },
    MuiSwitch: {
      styleOverrides: { switchBase: { '&.Mui-focusVisible + .MuiSwitch-track': focusRing } },
    },
    MuiFormControlLabel: {
      styleOverrides: { root: { marginLeft: -4, minHeight: 32 }, label: { fontSize: 13 } },
    },
    MuiAutocomplete: {
      styleOverrides: {
        inputRoot: { padding: '0 34px 0 0 !important' },
        input: { padding: '6px 9px !important' },
        option: { fontSize: 13, minHeight: 30 },
        endAdornment: { right: '4px !important' },
      },
    },
    MuiTabs: {
      styleOverrides: {
        root: { minHeight: 34, borderBottom: '1px solid var(--line)', flex: 'none' },
        indicator: { backgroundColor: 'var(--petrol)', height: 3, transition: 'none' },
      },
    },
    MuiTab: {
      defaultProps: { disableRipple: true },
      styleOverrides: {
        root: {
          minHeight: 34,
          minWidth: 0,
          padding: '6px 12px',
          fontSize: 13,
          fontWeight: 400,
          textTransform: 'none',
          color: 'var(--ink-soft)',
          '&.Mui-selected': { color: 'var(--ink)', fontWeight: 600 },
          '&.Mui-focusVisible': { outline: '2px solid var(--brass)', outlineOffset: -3 },
        },
      },
    },
    MuiToggleButton: {
      styleOverrides: {
        root: {
          padding: '3px 10px',
          fontSize: 12.5,
          fontWeight: 400,
          textTransform: 'none',
          color: 'var(--ink)',
          borderColor: 'var(--border)',
          minHeight: 30,
          '&.Mui-selected, &.Mui-selected:hover': {
            background: 'var(--petrol)',
            color: 'var(--on-petrol)',
          },
          '&.Mui-focusVisible': { outline: '2px solid var(--brass)', outlineOffset: 2, zIndex: 1 },
        },
      },
    },
    MuiPickersOutlinedInput: {
      styleOverrides: {
        root: {
          background: 'var(--sheet)',
          fontSize: 13,
          padding: '0 8px',
          '& .MuiPickersOutlinedInput-notchedOutline': {
            borderColor: 'var(--border)',
            top: 0,
            '& legend': { display: 'none' },
          },
        },
        sectionsContainer: { padding: '6px 0', width: 'auto', flex: 1 },
      },
    },
    MuiTable: { defaultProps: { size: 'small' } },
    MuiTableCell: {
      styleOverrides: {
        root: { fontSize: 13, lineHeight: 1.4, color: 'var(--ink)', borderColor: 'var(--line)' },
        stickyHeader: { backgroundColor: 'var(--ground)' },
      },
    },
    MuiTableSortLabel: {
      styleOverrides: {
        root: { '&:focus-visible': { outline: '2px solid var(--brass)' } },
        icon: { fontSize: 13, margin: '0 2px' },
      },
    },
    MuiAlert: {
      defaultProps: { variant: 'outlined' },
      styleOverrides: {
        root: {
          color: 'var(--ink)',
          background: 'var(--sheet)',
          border: '1px solid var(--line)',
          borderLeft: '4px solid var(--border)',
          padding: '4px 12px',
          margin: '6px 0',
          fontSize: 13,
          variants: [
            { props: { severity: 'error' }, style: { borderLeftColor: 'var(--broken)' } },
            { props: { severity: 'warning' }, style: { borderLeftColor: 'var(--strained)' } },
          ],
        },
        icon: { padding: '7px 0', marginRight: 8 },
        message: { padding: '4px 0' },
      },
    },
    MuiSnackbarContent: {
      styleOverrides: { root: { background: 'var(--ink)', color: 'var(--ground)' } },
    },
    MuiDataGrid: dataGrid,
  },
})
