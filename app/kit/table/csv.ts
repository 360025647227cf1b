import { writeCsv } from '~/core/units'
import type { Column } from './columns'

/** Rows as CSV, one head line. */
export const csvOf = <Row>(columns: readonly Column<Row>[], rows: readonly Row[]): string =>
  writeCsv(
    columns.map((column) => column.name),
    rows.map((row) => columns.map((column) => column.value(row))),
  )
