/**
 * CSV as everything here writes it: RFC 4180, one heading line. Text that a spreadsheet would take for a formula gets an
 * apostrophe before it, and loses it again when it is read.
 */
import Papa from 'papaparse'

type Cell = string | number | boolean | null | undefined

const isFormula = /^[=+\-@\t\r]/

export const writeCsv = (heading: readonly string[], rows: readonly (readonly Cell[])[]): string =>
  Papa.unparse(
    { fields: [...heading], data: rows.map((row) => [...row]) },
    { escapeFormulae: isFormula },
  )

/** A cell as it was before it was guarded. */
export const unguarded = (cell: string): string =>
  cell.startsWith("'") && isFormula.test(cell.slice(1)) ? cell.slice(1) : cell
