// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { Gyre } from './gyre'
import type { Arc, GyreLayout } from './gyre-layout'

afterEach(cleanup)

const focused = (): string | null => document.activeElement?.getAttribute('aria-label') ?? null

const turn = 2 * Math.PI
const arc = (name: string, more: Partial<Arc> = {}): Arc => ({
  ref: `cluster/${name}`,
  kind: 'cluster',
  name,
  depth: 1,
  start: 0,
  end: turn,
  state: 'well',
  says: '',
  value: 1,
  reading: null,
  readingText: '',
  band: null,
  ...more,
})
const node = (name: string, start: number, end: number, state: Arc['state'] = 'well'): Arc =>
  arc(name, { ref: `node/c/${name}`, kind: 'node', depth: 2, start, end, state })
const layout: GyreLayout = {
  arcs: [
    arc('cedar', { end: turn / 2 }),
    arc('dill', { start: turn / 2, state: 'broken' }),
    node('c-1', 0, turn / 4),
    node('c-2', turn / 4, turn / 2, 'strained'),
    arc('d-pool', {
      ref: 'pool/dill/d-pool',
      kind: 'pool',
      depth: 2,
      start: turn / 2,
      band: { well: 3, broken: 1 },
      readingText: '4 nodes',
    }),
  ],
  rings: 2,
  centre: { ref: 'fleet', kind: 'fleet', name: 'fleet', value: 1, asked: null, nodes: 6 },
  trail: [{ ref: 'fleet', name: 'fleet' }],
}

function show(more: Partial<Parameters<typeof Gyre>[0]> = {}) {
  const onSelect = vi.fn()
  const onZoom = vi.fn()
  const view = render(
    <Gyre
      layout={layout}
      reading="state"
      selected={null}
      onSelect={onSelect}
      onZoom={onZoom}
      total="6 nodes"
      line="24 of 40 cores"
      {...more}
    />,
  )
  return { ...view, onSelect, onZoom }
}

describe('the gyre', () => {
  it('says of every arc what it is, how it is called and how it is', () => {
    show()
    const labels = screen.getAllByRole('button').map((it) => it.getAttribute('aria-label'))
    expect(labels).toEqual([
      'cluster cedar, well',
      'cluster dill, broken',
      'node c-1, well',
      'node c-2, strained',
      '4 nodes of pool d-pool',
      'The whole fleet',
    ])
  })

  it('zooms into what is pressed once it is selected already', async () => {
    const { onSelect, onZoom } = show({ selected: 'cluster/cedar' })
    fireEvent.click(screen.getByRole('button', { name: 'cluster cedar, well' }))
    expect(onZoom).toHaveBeenCalledWith('cluster/cedar')
    expect(onSelect).not.toHaveBeenCalled()
  })

  it('names what is pointed at, which may have no room for its name', () => {
    const { container } = show()
    fireEvent.pointerEnter(screen.getByRole('button', { name: 'node c-2, strained' }))
    expect(container.querySelector('.pointed')?.textContent).toBe('c-2node, strained')
    fireEvent.pointerLeave(screen.getByRole('button', { name: 'node c-2, strained' }))
    expect(container.querySelector('.pointed')?.textContent).toBe('')
  })

  it('fills a band by the share of states in it', () => {
    show()
    const band = screen.getByRole('button', { name: '4 nodes of pool d-pool' })
    expect([...band.querySelectorAll('path')].map((path) => path.getAttribute('fill'))).toEqual([
      'var(--broken)',
      'var(--arc-4)',
    ])
  })

  it('leads back by its centre', () => {
    const { onZoom } = show({
      layout: {
        ...layout,
        trail: [
          { ref: 'fleet', name: 'fleet' },
          { ref: 'cluster/cedar', name: 'cedar' },
        ],
      },
    })
    fireEvent.click(screen.getByRole('button', { name: 'Back to fleet' }))
    expect(onZoom).toHaveBeenCalledWith('fleet')
  })
})

describe('the gyre by keyboard', () => {
  it('is walked round and between its rings by arrows, and never leads beyond them', async () => {
    show()
    screen.getByRole('button', { name: 'cluster cedar, well' }).focus()
    await userEvent.keyboard('{ArrowUp}')
    expect(focused()).toBe('node c-1, well')
    await userEvent.keyboard('{ArrowRight}')
    expect(focused()).toBe('node c-2, strained')
    await userEvent.keyboard('{ArrowUp}')
    expect(focused()).toBe('node c-2, strained')
    await userEvent.keyboard('{ArrowDown}{ArrowLeft}')
    expect(focused()).toBe('cluster dill, broken')
    await userEvent.keyboard('{ArrowRight}')
    expect(focused()).toBe('cluster cedar, well')
  })

  it('selects by Space and zooms by Enter; a node has nothing inside to zoom to', async () => {
    const { onSelect, onZoom } = show()
    screen.getByRole('button', { name: 'cluster dill, broken' }).focus()
    await userEvent.keyboard(' {Enter}')
    expect(onSelect.mock.calls).toEqual([['cluster/dill']])
    expect(onZoom.mock.calls).toEqual([['cluster/dill']])
    screen.getByRole('button', { name: 'node c-1, well' }).focus()
    await userEvent.keyboard('{Enter}')
    expect(onSelect).toHaveBeenLastCalledWith('node/c/c-1')
    expect(onZoom).toHaveBeenCalledTimes(1)
  })
})
