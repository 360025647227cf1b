/**
 * Long lists of rows on their way to a page, as one text that names each field once. What a loader gives is encoded value
 * by value; for thousands of rows that would hold the server several times longer.
 */
import { useMemo } from 'react'

export interface Packed<Row> {
  readonly json: string
  /** Never set: keeps the type of what is packed. */
  readonly row?: Row
}

interface Written {
  readonly fields: readonly string[]
  readonly rows: readonly (readonly unknown[])[]
}

/** The rows that were packed here: a page made on the server reads them as they are. */
const originals = new WeakMap<object, readonly object[]>()

/** Packs rows that all have the fields of the first. */
export function packed<Row extends object>(rows: readonly Row[]): Packed<Row> {
  const fields = Object.keys(rows[0] ?? {}) as (keyof Row & string)[]
  const written: Written = { fields, rows: rows.map((row) => fields.map((field) => row[field])) }
  const list: Packed<Row> = { json: JSON.stringify(written) }
  originals.set(list, rows)
  return list
}

export function unpacked<Row extends object>(list: Packed<Row>): readonly Row[] {
  const original = originals.get(list)
  if (original) return original as readonly Row[]
  const { fields, rows } = JSON.parse(list.json) as Written
  return rows.map(
    (values) => Object.fromEntries(fields.map((field, at) => [field, values[at]])) as Row,
  )
}

export const usePacked = <Row extends object>(list: Packed<Row>): readonly Row[] =>
  useMemo(() => unpacked(list), [list])
