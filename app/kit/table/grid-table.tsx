/** Up to a hundred rows: MUI’s data grid in our look. Enter or Space on a cell chooses its row. */
import { DataGrid, type GridColDef, type GridRowParams, useGridApiRef } from '@mui/x-data-grid'
import { useEffect, useMemo, useRef } from 'react'
import { pageNonce } from '../../theme/page-nonce'
import { type Column, widthOf } from './columns'
import type { CellPlace, DrawnRows } from './drawn-rows'

interface GridRow<Row> {
  readonly id: string
  readonly row: Row
}

const rowHeight = 32
const headHeight = 32
/** So many rows are seen however much room others take. */
const mostKept = 5

function gridColumn<Row>(column: Column<Row>, rows: readonly Row[]): GridColDef<GridRow<Row>> {
  const width = widthOf(column, rows)
  return {
    field: column.name === '' ? ' ' : column.name,
    headerName: column.name,
    flex: width,
    minWidth: Math.min(width, column.wraps === true ? 180 : 150),
    disableColumnMenu: true,
    filterable: false,
    align: column.number === true ? 'right' : 'left',
    headerAlign: column.number === true ? 'right' : 'left',
    cellClassName: column.wraps === true ? 'wraps' : '',
    valueGetter: (_value, { row }) => column.value(row),
    valueFormatter: (value) => String(value),
    ...(column.show ? { renderCell: ({ row }) => column.show?.(row.row) } : {}),
  }
}

export function GridTable<Row>({
  name,
  rows,
  id,
  selected,
  onSelect,
  table,
  startAt,
}: DrawnRows<Row> & {
  /** The cell that had the focus in the table this one takes the place of. */
  readonly startAt: CellPlace | null
}) {
  const apiRef = useGridApiRef()
  const start = useRef(startAt)
  useEffect(() => {
    if (start.current === null) return
    const { row, column } = start.current
    const field = apiRef.current?.getVisibleColumns()[column]?.field
    const at = apiRef.current?.getSortedRowIds()[row]
    start.current = null
    if (field !== undefined && at !== undefined) apiRef.current?.setCellFocus(at, field)
  }, [apiRef])
  const columns = useMemo(
    () => table.columns.map((column) => gridColumn(column, rows)),
    [table.columns, rows],
  )
  const gridRows = useMemo(() => rows.map((row) => ({ id: id(row), row })), [rows, id])
  const hasWraps = table.columns.some((column) => column.wraps === true)
  const { sort } = table
  return (
    <div
      className="grid-table"
      data-chooses={onSelect !== undefined}
      style={{ minHeight: headHeight + Math.min(rows.length, mostKept) * rowHeight + 14 }}
    >
      <DataGrid
        apiRef={apiRef}
        nonce={pageNonce() ?? ''}
        aria-label={name}
        rows={gridRows}
        columns={columns}
        rowHeight={rowHeight}
        columnHeaderHeight={headHeight}
        {...(hasWraps ? { getRowHeight: () => 'auto' as const } : {})}
        hideFooter
        disableVirtualization
        disableColumnFilter
        disableMultipleRowSelection
        disableRowSelectionOnClick
        rowSelection={onSelect !== undefined}
        rowSelectionModel={{
          type: 'include',
          ids: new Set(selected === undefined || selected === null ? [] : [selected]),
        }}
        sortingMode="server"
        sortModel={sort ? [{ field: sort.column, sort: sort.descending ? 'desc' : 'asc' }] : []}
        onSortModelChange={([item]) => table.sortBy(item?.field ?? sort?.column ?? '')}
        onRowClick={({ row }: GridRowParams<GridRow<Row>>) => onSelect?.(row.row)}
        onCellKeyDown={({ row }: { row: GridRow<Row> }, event) => {
          const onCell = event.target === event.currentTarget
          if (!onSelect || !onCell || (event.key !== 'Enter' && event.key !== ' ')) return
          event.preventDefault()
          event.defaultMuiPrevented = true
          onSelect(row.row)
        }}
      />
    </div>
  )
}
