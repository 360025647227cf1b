import type { Components } from '@mui/material/styles'
import type {} from '@mui/x-data-grid/themeAugmentation'

/** The data grid as our other tables look: hairlines, no box, no shading of its own. */
export const dataGrid: NonNullable<Components['MuiDataGrid']> = {
  styleOverrides: {
    root: {
      '--DataGrid-rowBorderColor': 'var(--line)',
      '--DataGrid-t-color-background-base': 'var(--ground)',
      '--DataGrid-t-header-background-base': 'var(--ground)',
      '--DataGrid-t-color-interactive-focus': 'var(--brass)',
      border: 0,
      borderRadius: 0,
      background: 'transparent',
      color: 'var(--ink)',
      fontSize: 13,
      '& .MuiDataGrid-columnHeader': { padding: '0 10px 0 0', background: 'var(--ground)' },
      '& .MuiDataGrid-columnHeaderTitle': { fontWeight: 500, color: 'var(--ink-soft)' },
      '& .MuiDataGrid-cell': {
        padding: '0 10px 0 0',
        borderColor: 'var(--line)',
        lineHeight: '31px',
      },
      '& .MuiDataGrid-row--dynamicHeight > .MuiDataGrid-cell': {
        minHeight: 32,
        lineHeight: '31px',
        whiteSpace: 'nowrap',
        overflow: 'hidden',
        textOverflow: 'ellipsis',
        display: 'block',
      },
      '& .MuiDataGrid-row--dynamicHeight > .MuiDataGrid-cell.wraps': {
        lineHeight: 1.4,
        padding: '6px 10px 6px 0',
        whiteSpace: 'normal',
        overflowWrap: 'anywhere',
      },
      '& .MuiDataGrid-cell:focus, & .MuiDataGrid-cell:focus-within, & .MuiDataGrid-columnHeader:focus, & .MuiDataGrid-columnHeader:focus-within':
        { outline: 'none' },
      '& .MuiDataGrid-cell:focus-visible, & .MuiDataGrid-columnHeader:focus-visible': {
        outline: '2px solid var(--brass)',
        outlineOffset: -2,
      },
      '& .MuiDataGrid-cell--textRight': { fontVariantNumeric: 'tabular-nums' },
      '& .MuiDataGrid-row:hover': {
        backgroundColor: 'color-mix(in srgb, var(--petrol) 6%, transparent)',
      },
      '& .MuiDataGrid-row.Mui-selected, & .MuiDataGrid-row.Mui-selected:hover': {
        backgroundColor: 'color-mix(in srgb, var(--petrol) 14%, transparent)',
      },
      '& .MuiDataGrid-iconSeparator': { color: 'transparent' },
      '& .MuiDataGrid-columnHeader:hover .MuiDataGrid-iconSeparator': { color: 'var(--border)' },
      '& .MuiDataGrid-sortIcon': { fontSize: 15 },
      '& .MuiDataGrid-columnHeader--sorted .MuiDataGrid-columnHeaderTitle': {
        color: 'var(--ink)',
      },
    },
  },
}
