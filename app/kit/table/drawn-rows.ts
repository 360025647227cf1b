import type { TableState } from './use-table'

/** What draws the rows of a table is given, whichever of the two it is. */
export interface DrawnRows<Row> {
  readonly name: string
  readonly rows: readonly Row[]
  readonly id: (row: Row) => string
  readonly selected: string | null | undefined
  readonly onSelect: ((row: Row) => void) | undefined
  readonly table: TableState<Row>
}

export interface CellPlace {
  readonly row: number
  readonly column: number
}
