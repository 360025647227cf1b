/**
 * Every table: sorted by a click on its head, found in by typing, written out as CSV, and long ones drawn only where
 * they are looked at.
 */
import { Download } from 'lucide-react'
import { type ReactNode, useMemo, useRef, useState } from 'react'
import { useVirtualizer } from '@tanstack/react-virtual'

export interface Column<Row> {
  readonly name: string
  /** What it is sorted, found and exported by. */
  readonly value: (row: Row) => string | number
  readonly show?: (row: Row) => ReactNode
  readonly number?: boolean
  /** Long text that wraps instead of being cut off. */
  readonly wraps?: boolean
}

export interface TableProps<Row> {
  readonly name: string
  readonly columns: readonly Column<Row>[]
  readonly rows: readonly Row[]
  readonly id: (row: Row) => string
  readonly empty: ReactNode
  readonly selected?: string | null
  readonly onSelect?: (row: Row) => void
  readonly tools?: ReactNode
}

const rowHeight = 33
const drawAllBelow = 120

const csvCell = (value: string | number): string => {
  // A leading sign would be read as a formula by spreadsheets.
  const text = typeof value === 'string' && /^[=+\-@\t]/.test(value) ? `'${value}` : String(value)
  return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text
}

export function csvOf<Row>(columns: readonly Column<Row>[], rows: readonly Row[]): string {
  return [
    columns.map((column) => csvCell(column.name)),
    ...rows.map((row) => columns.map((column) => csvCell(column.value(row)))),
  ]
    .map((cells) => cells.join(','))
    .join('\r\n')
}

/** Hands a text to the browser as a file. */
export function saveFile(name: string, type: string, body: string): void {
  const url = URL.createObjectURL(new Blob([body], { type }))
  const link = document.createElement('a')
  link.href = url
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(url), 1000)
}

export function sortRows<Row>(
  rows: readonly Row[],
  column: Column<Row> | undefined,
  descending: boolean,
): readonly Row[] {
  if (!column) return rows
  const sign = descending ? -1 : 1
  return [...rows].sort((a, b) => {
    const left = column.value(a)
    const right = column.value(b)
    return (
      sign *
      (typeof left === 'number' && typeof right === 'number'
        ? left - right
        : String(left).localeCompare(String(right), 'en', { numeric: true }))
    )
  })
}

export function Table<Row>({
  name,
  columns,
  rows,
  id,
  empty,
  selected,
  onSelect,
  tools,
}: TableProps<Row>) {
  const [find, setFind] = useState('')
  const [sort, setSort] = useState<{
    readonly column: string
    readonly descending: boolean
  } | null>(null)
  const shown = useMemo(() => {
    const wanted = find.trim().toLowerCase()
    const matchingRows =
      wanted === ''
        ? rows
        : rows.filter((row) =>
            columns.some((column) => String(column.value(row)).toLowerCase().includes(wanted)),
          )
    return sortRows(
      matchingRows,
      columns.find((column) => column.name === sort?.column),
      sort?.descending ?? false,
    )
  }, [rows, columns, find, sort])
  const scroller = useRef<HTMLDivElement>(null)
  const all = shown.length <= drawAllBelow
  // The library’s object is not for memoising; nothing here does.
  const virtual = useVirtualizer({
    count: all ? 0 : shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  })
  const items = virtual.getVirtualItems()
  const first = items[0]
  const last = items[items.length - 1]
  let visible: readonly Row[]
  if (all) visible = shown
  else if (first && last) visible = shown.slice(first.index, last.index + 1)
  else visible = shown.slice(0, 40)
  const above = all ? 0 : (first?.start ?? 0)
  const below = all ? 0 : Math.max(0, shown.length * rowHeight - (last?.end ?? 40 * rowHeight))
  return (
    <>
      <div className="table-tools">
        <input
          data-find
          aria-label={`Find in ${name}`}
          placeholder="Find ( / )"
          value={find}
          onChange={(event) => setFind(event.target.value)}
        />
        <span className="soft">
          {shown.length === rows.length ? rows.length : `${shown.length} of ${rows.length}`}
        </span>
        {tools}
        <span style={{ flex: 1 }} />
        <button
          type="button"
          className="quiet-button"
          onClick={() =>
            saveFile(`${name.replaceAll(' ', '-')}.csv`, 'text/csv', csvOf(columns, shown))
          }
        >
          <Download size={14} aria-hidden /> CSV
        </button>
      </div>
      <div className="scroll" ref={scroller} tabIndex={0} role="region" aria-label={name}>
        {rows.length === 0 ? (
          <div className="empty">{empty}</div>
        ) : (
          <table className="grid" aria-rowcount={shown.length + 1}>
            <thead>
              <tr>
                {columns.map((column) => (
                  <th
                    key={column.name}
                    scope="col"
                    className={column.number ? 'number' : undefined}
                    aria-sort={
                      sort?.column === column.name
                        ? sort.descending
                          ? 'descending'
                          : 'ascending'
                        : undefined
                    }
                  >
                    <button
                      type="button"
                      onClick={() =>
                        setSort((was) => {
                          if (was?.column === column.name) {
                            if (was.descending) return null
                            return { column: column.name, descending: true }
                          }
                          return { column: column.name, descending: false }
                        })
                      }
                    >
                      {column.name}
                      {sort?.column === column.name ? (sort.descending ? ' ↓' : ' ↑') : ''}
                    </button>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {above > 0 ? <tr style={{ height: above }} aria-hidden /> : null}
              {visible.map((row) => (
                <tr
                  key={id(row)}
                  aria-selected={selected === undefined ? undefined : selected === id(row)}
                  onClick={onSelect ? () => onSelect(row) : undefined}
                >
                  {columns.map((column) => (
                    <td
                      key={column.name}
                      className={column.number ? 'number' : column.wraps ? 'wraps' : undefined}
                      title={String(column.value(row))}
                    >
                      {column.show ? column.show(row) : column.value(row)}
                    </td>
                  ))}
                </tr>
              ))}
              {below > 0 ? <tr style={{ height: below }} aria-hidden /> : null}
            </tbody>
          </table>
        )}
        {rows.length > 0 && shown.length === 0 ? (
          <div className="empty">Nothing holds “{find}”.</div>
        ) : null}
      </div>
    </>
  )
}
