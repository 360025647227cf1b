// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import type { Seen } from '~/server/mend/case-told'
import { Evidence } from './evidence'

const line = (minute: number, says: string, from = 'node/cedar-general-1'): Seen => ({
  at: `2026-03-02T06:${String(minute).padStart(2, '0')}:00Z`,
  from,
  kind: 'log',
  says,
  isCause: false,
})

let written: Seen[]
let isSilent: boolean
beforeEach(() => {
  vi.useFakeTimers()
  written = [line(1, 'first'), line(2, 'second', 'pod/market/desk-1')]
  isSilent = false
  vi.stubGlobal('fetch', () =>
    isSilent
      ? Promise.reject(new TypeError('not there'))
      : Promise.resolve(new Response(JSON.stringify({ seen: written }))),
  )
})
afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
  vi.useRealTimers()
})

const pass = (ms: number) => act(() => vi.advanceTimersByTimeAsync(ms))
const follow = () => fireEvent.click(screen.getByRole('switch', { name: 'Follow' }))
const lines = () => screen.getAllByRole('listitem').map(({ textContent }) => textContent)

it('shows what the page was given until it is followed, then what is written', async () => {
  render(<Evidence id="k-1" seen={written} isOpen />)
  written = [...written, line(3, 'third')]
  await pass(5000)
  expect(lines()).toHaveLength(2)
  follow()
  await pass(10)
  expect(lines()).toHaveLength(3)
  written = [...written, line(4, 'fourth')]
  await pass(2000)
  expect(lines().at(-1)).toContain('fourth')
})

it('says that nothing is heard, keeps what it has, and goes on', async () => {
  render(<Evidence id="k-1" seen={written} isOpen />)
  follow()
  await pass(10)
  isSilent = true
  await pass(2000)
  expect(screen.getByRole('status').textContent).toContain('asked again')
  expect(lines()).toHaveLength(2)
  isSilent = false
  written = [line(9, 'back')]
  await pass(2000)
  expect(screen.queryByRole('status')).toBe(null)
  expect(lines()).toEqual([expect.stringContaining('back')])
})

it('stays at its end while it is followed, and where somebody reads once he has gone up', async () => {
  render(<Evidence id="k-1" seen={written} isOpen />)
  const list = screen.getByRole('list', { name: 'Evidence' })
  Object.defineProperty(list, 'scrollHeight', { get: () => 100 * lines().length })
  Object.defineProperty(list, 'clientHeight', { value: 100 })
  follow()
  written = [...written, line(3, 'third')]
  await pass(2010)
  expect(list.scrollTop).toBe(300)
  list.scrollTop = 0
  fireEvent.scroll(list)
  written = [...written, line(4, 'fourth')]
  await pass(2000)
  expect(lines()).toHaveLength(4)
  expect(list.scrollTop).toBe(0)
})

it('finds words, and offers no following of what is closed', () => {
  render(<Evidence id="k-1" seen={written} isOpen={false} />)
  expect(screen.queryByRole('switch')).toBe(null)
  fireEvent.change(screen.getByLabelText('Search the evidence'), { target: { value: 'SECOND' } })
  expect(lines()).toEqual([expect.stringContaining('second')])
  fireEvent.change(screen.getByLabelText('Search the evidence'), { target: { value: 'nowhere' } })
  expect(screen.getByText('No line has these words.')).toBeTruthy()
})
