/** A few rows that explain something: no tools, no selection. */
import Table from '@mui/material/Table'
import TableBody from '@mui/material/TableBody'
import TableCell from '@mui/material/TableCell'
import TableHead from '@mui/material/TableHead'
import TableRow, { type TableRowProps } from '@mui/material/TableRow'
import type { ReactNode } from 'react'
import { useTurn } from './turn'

export { TableCell as Cell }

export function Row(props: TableRowProps) {
  useTurn()
  return <TableRow {...props} />
}

export interface Head {
  readonly says: ReactNode
  readonly key: string
  readonly number?: boolean
}

/** Children are rows; an empty head is a column of actions. */
export function PlainTable({
  label,
  heads,
  className = '',
  children,
}: {
  readonly label: string
  readonly heads: readonly (string | Head)[]
  readonly className?: string
  readonly children: ReactNode
}) {
  useTurn()
  return (
    <Table className={`grid ${className}`} aria-label={label}>
      <TableHead>
        <TableRow>
          {heads.map((head) => {
            const { key, says, number } =
              typeof head === 'string' ? { key: head, says: head, number: false } : head
            return (
              <TableCell key={key} scope="col" className={number === true ? 'number' : ''}>
                {says === '' ? <span className="visually-hidden">actions</span> : says}
              </TableCell>
            )
          })}
        </TableRow>
      </TableHead>
      <TableBody>{children}</TableBody>
    </Table>
  )
}
