/**
 * Every table of rows: sorted, found in, its columns hidden, written out as CSV, and walked by keyboard. Up to a hundred
 * rows are a data grid; longer tables draw only the rows that are looked at. The server sends the rows of either.
 */
import { type ReactNode, useMemo } from 'react'
import { useAwake } from '../awake'
import type { Column } from './columns'
import { GridTable } from './grid-table'
import { RowsTable } from './rows-table'
import { TableTools } from './tools'
import { useTable } from './use-table'

export type { Column } from './columns'

export interface TableProps<Row> {
  readonly name: string
  readonly columns: readonly Column<Row>[]
  readonly rows: readonly Row[]
  readonly id: (row: Row) => string
  /** What stands where there are no rows: what the table is for, and the first step. */
  readonly empty: ReactNode
  readonly selected?: string | null | undefined
  readonly onSelect?: ((row: Row) => void) | undefined
  readonly tools?: ReactNode
}

/** The free edition of the data grid takes no more rows than this on a page. */
const gridRows = 100

export function Table<Row>(props: TableProps<Row>) {
  const { name, columns, rows, id, empty, selected, onSelect, tools } = props
  const table = useTable(columns, rows)
  const isAwake = useAwake()
  const { shown } = table
  const drawn = useMemo(
    () => ({ name, id, selected, onSelect, rows: shown }),
    [name, id, selected, onSelect, shown],
  )
  if (rows.length === 0) return <div className="empty">{empty}</div>
  const isGrid = isAwake && rows.length <= gridRows
  const Rows = isGrid ? GridTable<Row> : RowsTable<Row>
  return (
    <>
      <TableTools name={name} all={columns} total={rows.length} table={table}>
        {tools}
      </TableTools>
      {shown.length === 0 ? (
        <div className="empty">Nothing holds “{table.find}”.</div>
      ) : (
        <Rows {...drawn} table={table} />
      )}
    </>
  )
}
