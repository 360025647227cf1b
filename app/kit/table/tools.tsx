/** The line above a table: find, in which column, how many rows, which columns, and CSV. */
import Button from '@mui/material/Button'
import Checkbox from '@mui/material/Checkbox'
import Menu from '@mui/material/Menu'
import MenuItem from '@mui/material/MenuItem'
import { Columns3, Download } from 'lucide-react'
import { type ReactNode, useState } from 'react'
import { Choice } from '../choice'
import { Field } from '../field'
import { saveFile } from '../save-file'
import type { Column } from './columns'
import type { TableState } from './use-table'

const anyColumn = 'any column'

function ColumnsMenu<Row>({
  all,
  table,
}: {
  readonly all: readonly Column<Row>[]
  readonly table: TableState<Row>
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  return (
    <>
      <Button
        variant="text"
        className="quiet"
        startIcon={<Columns3 size={14} aria-hidden />}
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        Columns
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {all.map((column) => {
          const isShown = !table.hidden.has(column.name)
          return (
            <MenuItem
              key={column.name}
              role="menuitemcheckbox"
              aria-checked={isShown}
              disabled={isShown && table.columns.length === 1}
              onClick={() => table.toggleColumn(column.name)}
            >
              <Checkbox checked={isShown} tabIndex={-1} aria-hidden sx={{ p: 0, mr: 1 }} />
              {column.name || 'actions'}
            </MenuItem>
          )
        })}
      </Menu>
    </>
  )
}

export function TableTools<Row>({
  name,
  all,
  total,
  table,
  children,
}: {
  readonly name: string
  readonly all: readonly Column<Row>[]
  readonly total: number
  readonly table: TableState<Row>
  readonly children?: ReactNode
}) {
  const { shown, find } = table
  const named = all.filter((column) => column.name !== '')
  return (
    <div className="table-tools">
      <Field
        label={`Find in ${name}`}
        hideLabel
        isFind
        placeholder="Find ( / )"
        value={find}
        onChange={table.setFind}
        width={200}
      />
      {find === '' ? null : (
        <Choice
          label="Find in column"
          hideLabel
          value={table.inColumn ?? anyColumn}
          options={[anyColumn, ...named.map((column) => column.name)]}
          onChange={(column) => table.setInColumn(column === anyColumn ? null : column)}
          width={140}
        />
      )}
      <span className="soft" role="status">
        {shown.length === total ? total : `${shown.length} of ${total}`}
      </span>
      {children}
      <span style={{ flex: 1 }} />
      {named.length > 2 ? <ColumnsMenu all={all} table={table} /> : null}
      <Button
        variant="text"
        className="quiet"
        startIcon={<Download size={14} aria-hidden />}
        onClick={() =>
          void import('./csv').then(({ csvOf }) =>
            saveFile(`${name.replaceAll(' ', '-')}.csv`, 'text/csv', csvOf(table.columns, shown)),
          )
        }
      >
        CSV
      </Button>
    </div>
  )
}
