import { useMemo, useState } from 'react'
import { type Column, findRows, nextSort, type Sort, sortRows } from './columns'

/** What is looked for, by what it is sorted and which columns are hidden: the same for short and long tables. */
export interface TableState<Row> {
  /** Rows that answer, in order. */
  readonly shown: readonly Row[]
  readonly columns: readonly Column<Row>[]
  readonly find: string
  readonly setFind: (text: string) => void
  readonly inColumn: string | null
  readonly setInColumn: (name: string | null) => void
  readonly sort: Sort | null
  readonly sortBy: (column: string) => void
  readonly hidden: ReadonlySet<string>
  readonly toggleColumn: (name: string) => void
}

export function useTable<Row>(
  columns: readonly Column<Row>[],
  rows: readonly Row[],
): TableState<Row> {
  const [find, setFind] = useState('')
  const [inColumn, setInColumn] = useState<string | null>(null)
  const [sort, setSort] = useState<Sort | null>(null)
  const [hidden, setHidden] = useState<ReadonlySet<string>>(
    () => new Set(columns.filter((each) => each.isHiddenAtFirst).map(({ name }) => name)),
  )
  const shown = useMemo(
    () =>
      sortRows(
        findRows(rows, columns, find, inColumn),
        columns.find((column) => column.name === sort?.column),
        sort?.descending ?? false,
      ),
    [rows, columns, find, inColumn, sort],
  )
  const visible = useMemo(
    () => columns.filter((column) => !hidden.has(column.name)),
    [columns, hidden],
  )
  return {
    shown,
    columns: visible,
    find,
    setFind,
    inColumn,
    setInColumn,
    sort,
    sortBy: (column) => setSort((was) => nextSort(was, column)),
    hidden,
    toggleColumn: (name) =>
      setHidden((was) => {
        const next = new Set(was)
        if (!next.delete(name)) next.add(name)
        return next
      }),
  }
}
