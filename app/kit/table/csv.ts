import Papa from 'papaparse'
import type { Column } from './columns'

/** Rows as CSV (RFC 4180), one head line; texts that a spreadsheet would read as a formula are quoted. */
export const csvOf = <Row>(columns: readonly Column<Row>[], rows: readonly Row[]): string =>
  Papa.unparse(
    {
      fields: columns.map((column) => column.name),
      data: rows.map((row) => columns.map((column) => column.value(row))),
    },
    { escapeFormulae: true },
  )
