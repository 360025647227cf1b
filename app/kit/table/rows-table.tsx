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
import { type KeyboardEvent, type RefObject, useEffect, useRef, useState } from 'react'
import { useAwake } from '../awake'
import type { Column } from './columns'
import type { CellPlace, DrawnRows } from './drawn-rows'
import { useTurn } from '../turn'

const rowHeight = 32
const drawAllUpTo = 100
const drawnFirst = 30

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

/** Which cell has the focus, and where keys lead from it: a row that is not drawn is scrolled to first. */
function useCellKeys<Row>({
  rows,
  columns,
  from,
  count,
  scroller,
  scrollTo,
  onSelect,
}: {
  readonly rows: readonly Row[]
  readonly columns: number
  /** The first row drawn, and how many are. */
  readonly from: number
  readonly count: number
  readonly scroller: RefObject<HTMLDivElement | null>
  readonly scrollTo: (row: number) => void
  readonly onSelect: ((row: Row) => void) | undefined
}) {
  const [place, setPlace] = useState<CellPlace>({ row: 0, column: 0 })
  const isMoving = useRef(false)
  // The one cell that Tab reaches: where one was last, or the first row drawn if that has been scrolled away.
  const isDrawn = place.row >= from && place.row < from + count
  const at = { row: isDrawn ? place.row : from, column: Math.min(place.column, columns - 1) }
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
    const next = moved(event.key, event.ctrlKey || event.metaKey, at, rows.length, columns)
    if (!next) return
    event.preventDefault()
    isMoving.current = true
    setPlace(next)
    scrollTo(next.row)
  }
  return { at, setPlace, onKeyDown }
}

/** Plain cells, styled by the table: a thousand styled components would hold the server for long. */
function DrawnRow<Row>({
  row,
  index,
  columns,
  reachable,
  isSelected,
  onSelect,
  onFocus,
}: {
  readonly row: Row
  readonly index: number
  readonly columns: readonly Column<Row>[]
  /** The column whose cell Tab reaches, -1 for none of this row; null while the page is not awake. */
  readonly reachable: number | null
  readonly isSelected: boolean | undefined
  readonly onSelect: ((row: Row) => void) | undefined
  readonly onFocus: (column: number) => void
}) {
  useTurn()
  return (
    <tr
      aria-rowindex={index + 2}
      aria-selected={isSelected}
      onClick={onSelect ? () => onSelect(row) : undefined}
    >
      {columns.map((column, i) => (
        <td
          key={column.name}
          role="gridcell"
          data-cell={`${index}:${i}`}
          {...(reachable === null ? {} : { tabIndex: reachable === i ? 0 : -1 })}
          onFocus={() => onFocus(i)}
          className={[
            column.number === true ? 'number' : '',
            column.wraps === true ? 'wraps' : '',
          ].join(' ')}
        >
          {column.show ? column.show(row) : column.value(row)}
        </td>
      ))}
    </tr>
  )
}

export function RowsTable<Row>({
  name,
  rows,
  id,
  selected,
  onSelect,
  table,
  onTouch,
  onFocused,
}: DrawnRows<Row> & {
  /** Told once somebody points at the table or moves into it. */
  readonly onTouch?: () => void
  /** Told which cell has the focus, and null when none has it any more. */
  readonly onFocused: (place: CellPlace | null) => void
}) {
  const { scroller, from, drawn, above, below, scrollTo } = useDrawn(rows)
  const isAwake = useAwake()
  const { columns } = table
  const { at, setPlace, onKeyDown } = useCellKeys({
    rows,
    columns: columns.length,
    from,
    count: drawn.length,
    scroller,
    scrollTo,
    onSelect,
  })
  const reachableIn = (row: number): number | null => {
    if (!isAwake) return null
    return at.row === row ? at.column : -1
  }
  const filler = (height: number) => (height > 0 ? <tr style={{ height }} aria-hidden /> : null)
  return (
    <div
      className="scroll rows-table"
      ref={scroller}
      data-chooses={onSelect !== undefined}
      onPointerEnter={onTouch}
      onFocus={onTouch}
      onBlur={() => onFocused(null)}
    >
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
            <DrawnRow
              key={id(row)}
              row={row}
              index={from + i}
              columns={columns}
              reachable={reachableIn(from + i)}
              isSelected={onSelect ? selected === id(row) : undefined}
              onSelect={onSelect}
              onFocus={(column) => {
                setPlace({ row: from + i, column })
                onFocused({ row: from + i, column })
              }}
            />
          ))}
          {filler(below)}
        </TableBody>
      </MuiTable>
    </div>
  )
}
