/**
 * Long tables, and every table while its page wakes up: MUI’s table, of which only the rows that are looked at are
 * drawn. It looks as the data grid does and answers to the same keys.
 */
import MuiTable from '@mui/material/Table'
import TableBody from '@mui/material/TableBody'
import TableCell from '@mui/material/TableCell'
import TableHead from '@mui/material/TableHead'
import TableRow from '@mui/material/TableRow'
import TableSortLabel from '@mui/material/TableSortLabel'
import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { useAwake } from '../awake'
import type { DrawnRows } from './grid-table'

const rowHeight = 32
const drawAllUpTo = 100
const drawnFirst = 40

interface CellPlace {
  readonly row: number
  readonly column: number
}

/** Where a key leads from a cell, or null for a key that leads nowhere. */
export function moved(
  key: string,
  ctrl: boolean,
  from: CellPlace,
  rows: number,
  columns: number,
): CellPlace | null {
  const { row, column } = from
  const within = (at: number, count: number): number => Math.max(0, Math.min(count - 1, at))
  switch (key) {
    case 'ArrowDown':
      return { row: within(row + 1, rows), column }
    case 'ArrowUp':
      return { row: within(row - 1, rows), column }
    case 'ArrowRight':
      return { row, column: within(column + 1, columns) }
    case 'ArrowLeft':
      return { row, column: within(column - 1, columns) }
    case 'PageDown':
      return { row: within(row + 15, rows), column }
    case 'PageUp':
      return { row: within(row - 15, rows), column }
    case 'Home':
      return { row: ctrl ? 0 : row, column: 0 }
    case 'End':
      return { row: ctrl ? rows - 1 : row, column: columns - 1 }
    default:
      return null
  }
}

function Heads<Row>({ table }: Pick<DrawnRows<Row>, 'table'>) {
  const { sort } = table
  return (
    <TableHead>
      <TableRow>
        {table.columns.map((column) => {
          const isSorted = sort?.column === column.name
          const direction = isSorted && sort.descending ? 'desc' : 'asc'
          return (
            <TableCell
              key={column.name}
              className={column.number === true ? 'number' : ''}
              sortDirection={isSorted ? direction : false}
            >
              <TableSortLabel
                active={isSorted}
                direction={direction}
                onClick={() => table.sortBy(column.name)}
              >
                {column.name === '' ? (
                  <span className="visually-hidden">actions</span>
                ) : (
                  column.name
                )}
              </TableSortLabel>
            </TableCell>
          )
        })}
      </TableRow>
    </TableHead>
  )
}

/** The rows to draw, and how much room those above and below take. */
function useDrawn<Row>(rows: readonly Row[]) {
  const scroller = useRef<HTMLDivElement>(null)
  const all = rows.length <= drawAllUpTo
  const virtual = useVirtualizer({
    count: all ? 0 : rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  })
  const items = virtual.getVirtualItems()
  const first = items[0]
  const last = items[items.length - 1]
  const measured = !all && first !== undefined && last !== undefined
  const from = measured ? first.index : 0
  let until = all ? rows.length : drawnFirst
  if (measured) until = last.index + 1
  return {
    scroller,
    from,
    drawn: rows.slice(from, until),
    above: from * rowHeight,
    below: Math.max(0, rows.length - until) * rowHeight,
    scrollTo: (row: number): void => {
      if (!all) virtual.scrollToIndex(row)
    },
  }
}

export function RowsTable<Row>({ name, rows, id, selected, onSelect, table }: DrawnRows<Row>) {
  const { scroller, from, drawn, above, below, scrollTo } = useDrawn(rows)
  const isAwake = useAwake()
  const [place, setPlace] = useState<CellPlace>({ row: 0, column: 0 })
  const isMoving = useRef(false)
  const { columns } = table
  // The one cell that Tab reaches: where one was last, or the first row drawn if that has been scrolled away.
  const isDrawn = place.row >= from && place.row < from + drawn.length
  const at = { row: isDrawn ? place.row : from, column: Math.min(place.column, columns.length - 1) }
  useEffect(() => {
    if (!isMoving.current) return
    const cell = scroller.current?.querySelector<HTMLElement>(
      `[data-cell="${place.row}:${place.column}"]`,
    )
    if (!cell) return
    isMoving.current = false
    cell.focus()
  })
  const onKeyDown = (event: KeyboardEvent): void => {
    if (!(event.target instanceof HTMLElement) || event.target.dataset['cell'] === undefined) return
    const row = rows[at.row]
    if (onSelect && row !== undefined && (event.key === 'Enter' || event.key === ' ')) {
      event.preventDefault()
      onSelect(row)
      return
    }
    const next = moved(event.key, event.ctrlKey || event.metaKey, at, rows.length, columns.length)
    if (!next) return
    event.preventDefault()
    isMoving.current = true
    setPlace(next)
    scrollTo(next.row)
  }
  const filler = (height: number) => (height > 0 ? <tr style={{ height }} aria-hidden /> : null)
  return (
    <div className="scroll rows-table" ref={scroller} data-chooses={onSelect !== undefined}>
      <MuiTable
        className="grid"
        role="grid"
        aria-label={name}
        aria-rowcount={rows.length + 1}
        stickyHeader
        onKeyDown={onKeyDown}
      >
        <Heads table={table} />
        <TableBody>
          {filler(above)}
          {drawn.map((row, i) => (
            <TableRow
              key={id(row)}
              aria-rowindex={from + i + 2}
              aria-selected={onSelect ? selected === id(row) : undefined}
              onClick={onSelect ? () => onSelect(row) : undefined}
            >
              {columns.map((column, j) => {
                const isAt = at.row === from + i && at.column === j
                return (
                  <TableCell
                    key={column.name}
                    role="gridcell"
                    data-cell={`${from + i}:${j}`}
                    {...(isAwake ? { tabIndex: isAt ? 0 : -1 } : {})}
                    onFocus={() => setPlace({ row: from + i, column: j })}
                    className={[
                      column.number === true ? 'number' : '',
                      column.wraps === true ? 'wraps' : '',
                    ].join(' ')}
                  >
                    {column.show ? column.show(row) : column.value(row)}
                  </TableCell>
                )
              })}
            </TableRow>
          ))}
          {filler(below)}
        </TableBody>
      </MuiTable>
    </div>
  )
}
