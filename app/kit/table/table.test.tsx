// @vitest-environment jsdom
import { cleanup, render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { Table } from './table'
import { moved } from './rows-table'

afterEach(cleanup)

interface Machine {
  readonly name: string
  readonly cores: number
  readonly zone: string
}

const machines = (count: number): readonly Machine[] =>
  Array.from({ length: count }, (_, i) => ({
    name: `oak-${count - i}`,
    cores: (i * 7) % 13,
    zone: i % 2 === 0 ? 'north' : 'south',
  }))

const columns = [
  { name: 'name', value: (row: Machine) => row.name },
  { name: 'cores', value: (row: Machine) => row.cores, number: true },
  { name: 'zone', value: (row: Machine) => row.zone },
  { name: 'rack', value: (row: Machine) => `rack of ${row.zone}`, isHiddenAtFirst: true },
]

// More than a hundred rows are never handed to the data grid, which jsdom cannot lay out.
function show(count: number, onSelect?: (row: Machine) => void) {
  render(
    <Table
      name="machines"
      columns={columns}
      rows={machines(count)}
      id={(row) => row.name}
      empty="No machine stands here."
      selected={null}
      onSelect={onSelect}
    />,
  )
}

const firstNames = (): readonly (string | null)[] =>
  screen
    .getAllByRole('row')
    .slice(1, 4)
    .map((row) => within(row).getAllByRole('gridcell')[0]?.textContent ?? null)

describe('a table', () => {
  it('says what it is for where there are no rows', () => {
    show(0)
    expect(screen.getByText('No machine stands here.')).toBeTruthy()
  })

  it('is sorted by its heads: upwards, downwards, as it came', async () => {
    show(150)
    const head = screen.getByRole('button', { name: 'name' })
    expect(firstNames()).toEqual(['oak-150', 'oak-149', 'oak-148'])
    await userEvent.click(head)
    expect(firstNames()).toEqual(['oak-1', 'oak-2', 'oak-3'])
    expect(screen.getByRole('columnheader', { name: 'name' }).getAttribute('aria-sort')).toBe(
      'ascending',
    )
    await userEvent.click(head)
    expect(firstNames()).toEqual(['oak-150', 'oak-149', 'oak-148'])
    await userEvent.click(head)
    expect(firstNames()).toEqual(['oak-150', 'oak-149', 'oak-148'])
  })

  it('shows what is seldom needed once it is asked for', async () => {
    show(150)
    expect(screen.queryByRole('columnheader', { name: 'rack' })).toBeNull()
    await userEvent.click(screen.getByRole('button', { name: 'Columns' }))
    await userEvent.click(screen.getByRole('menuitemcheckbox', { name: 'rack' }))
    expect(screen.getByRole('columnheader', { name: 'rack', hidden: true })).toBeTruthy()
  })

  it('is found in, in every column or in one', async () => {
    show(150)
    await userEvent.type(screen.getByRole('textbox', { name: 'Find in machines' }), '13')
    expect(screen.getByRole('status').textContent).toBe('12 of 150')
    await userEvent.clear(screen.getByRole('textbox', { name: 'Find in machines' }))
    await userEvent.type(screen.getByRole('textbox', { name: 'Find in machines' }), 'nowhere')
    expect(screen.getByText('Nothing holds “nowhere”.')).toBeTruthy()
  })

  it('hides the columns that are not wanted, and never the last', async () => {
    show(150)
    await userEvent.click(screen.getByRole('button', { name: 'Columns' }))
    await userEvent.click(screen.getByRole('menuitemcheckbox', { name: 'zone' }))
    await userEvent.click(screen.getByRole('menuitemcheckbox', { name: 'cores' }))
    const last = screen.getByRole('menuitemcheckbox', { name: 'name' })
    expect(last.getAttribute('aria-disabled')).toBe('true')
    await userEvent.keyboard('{Escape}')
    expect(screen.getAllByRole('columnheader').map((head) => head.textContent)).toEqual(['name'])
  })

  it('is walked by arrows, and Enter chooses the row', async () => {
    const onSelect = vi.fn<(row: Machine) => void>()
    show(150, onSelect)
    screen.getAllByRole('gridcell')[0]?.focus()
    await userEvent.keyboard('{ArrowDown}{ArrowDown}{ArrowRight}{Enter}')
    expect(onSelect.mock.calls.map(([row]) => row.name)).toEqual(['oak-148'])
    expect(document.activeElement?.getAttribute('data-cell')).toBe('2:1')
    await userEvent.keyboard('{Home}{ArrowUp} ')
    expect(onSelect.mock.calls.at(-1)?.[0].name).toBe('oak-149')
  })

  it('draws no more than what is looked at, and tells how many there are', () => {
    show(5000)
    expect(screen.getAllByRole('row').length).toBeLessThan(80)
    expect(screen.getByRole('grid').getAttribute('aria-rowcount')).toBe('5001')
  })

  it('has one cell that Tab reaches', () => {
    show(150)
    expect(
      screen.getAllByRole('gridcell').filter((cell) => cell.getAttribute('tabindex') === '0'),
    ).toHaveLength(1)
  })
})

it.each([
  ['ArrowDown', false, { row: 6, column: 1 }],
  ['ArrowUp', false, { row: 4, column: 1 }],
  ['ArrowRight', false, { row: 5, column: 2 }],
  ['PageDown', false, { row: 9, column: 1 }],
  ['PageUp', false, { row: 0, column: 1 }],
  ['Home', false, { row: 5, column: 0 }],
  ['End', true, { row: 9, column: 2 }],
  ['Home', true, { row: 0, column: 0 }],
  ['x', false, null],
] as const)('%s (with Control: %s) leads to the cell it does elsewhere', (key, ctrl, to) => {
  expect(moved(key, ctrl, { row: 5, column: 1 }, 10, 3)).toEqual(to)
})
