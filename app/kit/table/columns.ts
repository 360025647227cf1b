/** What a table is told about its columns, and what it does with rows before it draws them. */
import type { ReactNode } from 'react'

export interface Column<Row> {
  readonly name: string
  /** What it is sorted, found and exported by. */
  readonly value: (row: Row) => string | number
  readonly show?: (row: Row) => ReactNode
  readonly number?: boolean
  /** Long text that wraps instead of being cut off. */
  readonly wraps?: boolean
  /** Shown only once it is asked for: what is seldom needed leaves room for what is. */
  readonly isHiddenAtFirst?: boolean
}

export interface Sort {
  readonly column: string
  readonly descending: boolean
}

/** A column is sorted upwards first, then downwards, then not at all. */
export function nextSort(sort: Sort | null, column: string): Sort | null {
  if (sort?.column !== column) return { column, descending: false }
  return sort.descending ? null : { column, descending: true }
}

/** Rows that hold a text in any of the columns, or in the one that is named. Upper and lower case are one. */
export function findRows<Row>(
  rows: readonly Row[],
  columns: readonly Column<Row>[],
  text: string,
  inColumn: string | null = null,
): readonly Row[] {
  const wanted = text.trim().toLowerCase()
  if (wanted === '') return rows
  const searched = columns.filter((column) => inColumn === null || column.name === inColumn)
  return rows.filter((row) =>
    searched.some((column) => String(column.value(row)).toLowerCase().includes(wanted)),
  )
}

/** Numbers by size; texts as people count them, so that `node-10` comes after `node-9`. */
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

const perLetter = 6.8
const narrowest = 56
const widest = 330

/** The text of a cell as it is shown, as far as that is known without drawing it. */
function shownText<Row>(column: Column<Row>, row: Row): string {
  const shown = column.show?.(row)
  return typeof shown === 'string' || typeof shown === 'number'
    ? String(shown)
    : String(column.value(row))
}

/** How wide a column would like to be, in pixels: by its longest text among the first rows. */
export function widthOf<Row>(column: Column<Row>, rows: readonly Row[]): number {
  let letters = column.name.length + 2
  for (const row of rows.slice(0, 100)) letters = Math.max(letters, shownText(column, row).length)
  const margin = column.show ? 28 : 14
  return Math.round(Math.min(widest, Math.max(narrowest, letters * perLetter + margin)))
}
