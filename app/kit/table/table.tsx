/**
 * Every table of rows: sorted, found in, its columns hidden, written out as CSV, and walked by keyboard. Up to a hundred
 * rows are a data grid; longer tables draw only the rows that are looked at. The server sends the rows of either.
 *
 * The data grid is larger than all else on a page together, so it is brought with the first touch: until somebody points
 * at a table or moves into it, its rows are a plain table that looks and answers the same. Once it is in the browser,
 * every other table has it from the start.
 */
import { type ComponentType, type ReactNode, useRef, useState } from 'react'
import { useAwake } from '../awake'
import type { Column } from './columns'
import type { CellPlace, DrawnRows } from './drawn-rows'
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

type Grid = <Row>(props: DrawnRows<Row> & { readonly startAt: CellPlace | null }) => ReactNode

let grid: Grid | null = null

/** A row that is drawn anew between press and release would lose the click. */
function whenNothingIsPressed(act: () => void): void {
  if (document.querySelector('[role=grid] :active') === null) act()
  else window.addEventListener('pointerup', () => setTimeout(act, 0), { once: true })
}

/** The data grid once it is wanted, and a way to want it. */
function useGrid(): { readonly grid: Grid | null; readonly touch: () => void } {
  const [ready, setReady] = useState<{ readonly grid: Grid } | null>(null)
  const isAwake = useAwake()
  const isWanted = useRef(false)
  const touch = (): void => {
    if (isWanted.current || grid !== null) return
    isWanted.current = true
    void import('./grid-table').then((module) => {
      grid = module.GridTable
      whenNothingIsPressed(() => setReady({ grid: module.GridTable }))
    })
  }
  return { grid: isAwake ? (ready?.grid ?? grid) : null, touch }
}

export function Table<Row>(props: TableProps<Row>) {
  const { name, columns, rows, id, empty, selected, onSelect, tools } = props
  const table = useTable(columns, rows)
  const { shown } = table
  const { grid: Ready, touch } = useGrid()
  const focused = useRef<CellPlace | null>(null)
  const drawn = { name, id, selected, onSelect, rows: shown, table }
  if (rows.length === 0) return <div className="empty">{empty}</div>
  const isShort = rows.length <= gridRows
  const Grid = isShort ? (Ready as ComponentType<GridProps<Row>> | null) : null
  return (
    <>
      <TableTools name={name} all={columns} total={rows.length} table={table}>
        {tools}
      </TableTools>
      {shown.length === 0 ? <div className="empty">Nothing holds “{table.find}”.</div> : null}
      {shown.length > 0 && Grid ? <Grid {...drawn} startAt={focused.current} /> : null}
      {shown.length > 0 && !Grid ? (
        <RowsTable
          {...drawn}
          {...(isShort ? { onTouch: touch } : {})}
          onFocused={(place) => {
            focused.current = place
          }}
        />
      ) : null}
    </>
  )
}

type GridProps<Row> = DrawnRows<Row> & { readonly startAt: CellPlace | null }
