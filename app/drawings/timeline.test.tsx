// @vitest-environment jsdom
import { fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { Timeline } from './timeline'
import type { Bar } from './timeline-layout'
import { withoutLayout } from '~/app/testing/without-layout'

withoutLayout()

const bar = (id: string, more: Partial<Bar> = {}): Bar => ({
  id,
  group: 'network',
  says: `do ${id}`,
  state: 'done',
  undoing: false,
  start: 0,
  end: 60,
  expectedEnd: 60,
  worstEnd: 90,
  after: [],
  critical: false,
  ...more,
})
const rows = [
  { group: 'network', bars: [bar('a'), bar('b', { start: 60, state: 'running', end: 90 })] },
  {
    group: 'a-very-long-name-of-a-node-17',
    bars: [bar('c', { group: 'node', start: 120, state: 'waiting', end: 180, critical: true })],
  },
]

function show() {
  const onSelect = vi.fn()
  const view = render(
    <Timeline
      layout={{ rows, seconds: 180, now: 90 }}
      selected="a"
      onSelect={onSelect}
      unfold={(bars) => (bars.some(({ id }) => id === 'c') ? <p>unfolded</p> : null)}
      nowText="now"
    />,
  )
  return { ...view, onSelect }
}

describe('the timeline of a run', () => {
  it('says of each step how it is, and hands on the one that is chosen by mouse or keyboard', async () => {
    const { onSelect } = show()
    expect(screen.getAllByRole('button').map((it) => it.getAttribute('aria-label'))).toEqual([
      'network: do a, done',
      'network: do b, running',
      'node: do c, waiting',
    ])
    const [first, second, third] = screen.getAllByRole('button')
    expect(first?.getAttribute('aria-pressed')).toBe('true')
    fireEvent.click(second ?? document.body)
    third?.focus()
    await userEvent.keyboard('{Enter} x')
    expect(onSelect.mock.calls).toEqual([['b'], ['c'], ['c']])
  })

  it('draws what has begun, and of what has not only where it is expected', () => {
    const { container } = show()
    expect(
      [...container.querySelectorAll('rect.actual')].map((it) => it.getAttribute('data-state')),
    ).toEqual(['done', 'running'])
    expect(container.querySelectorAll('rect.estimate')).toHaveLength(3)
    expect(container.querySelectorAll('line.critical')).toHaveLength(1)
  })

  it('tells long names apart by their ends, and unfolds below its row', () => {
    const { container } = show()
    const names = [...container.querySelectorAll('text.group-name')].map(
      (text) => text.firstChild?.textContent,
    )
    expect(names).toEqual(['network', '…ong-name-of-a-node-17'])
    expect(screen.getByText('unfolded')).toBeTruthy()
  })

  it('draws the present where it is between what was and what is to come', () => {
    const { container } = show()
    const left = Number.parseFloat(
      container.querySelector<HTMLElement>('.now-line')?.style.left ?? '',
    )
    const [, running, waiting] = [...container.querySelectorAll('rect.estimate')].map((it) =>
      Number(it.getAttribute('x')),
    )
    expect(left).toBeGreaterThan(running ?? Infinity)
    expect(left).toBeLessThan(waiting ?? 0)
  })
})
