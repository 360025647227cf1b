// @vitest-environment jsdom
import { act, cleanup, renderHook, waitFor } from '@testing-library/react'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import type { Board, WhatIf } from '~/core/placement'
import type { BoardAnswer, BoardQuestion } from '~/workers/board.worker'
import { type BoardSource, useBoard } from './use-board'

/** A worker that is asked, and answers what a test gives it. */
class Asked {
  static all: Asked[] = []
  readonly questions: BoardQuestion[] = []
  onmessage: ((event: { readonly data: BoardAnswer }) => void) | null = null
  terminate = vi.fn()

  constructor() {
    Asked.all.push(this)
  }

  postMessage(question: BoardQuestion): void {
    this.questions.push(question)
  }

  answer(board: Board): void {
    const id = this.questions.at(-1)?.id ?? 0
    act(() => this.onmessage?.({ data: { id, board, says: null, milliseconds: 3 } }))
  }
}

const boardOf = (zone: string): Board => ({
  nodes: [],
  waiting: [],
  moves: [],
  blocked: [],
  workloads: [],
  zones: [zone],
})
const placed = (zone: string) =>
  new Response(JSON.stringify({ board: boardOf(zone), says: null, milliseconds: 12 }))

const lost: WhatIf = { kind: 'loss', label: 'zone', value: 'a' }
const source: BoardSource = { url: '/objects?version=1', placed: '/placed?version=1' }
const newer: BoardSource = { url: '/objects?version=2', placed: '/placed?version=2' }
const none: readonly WhatIf[] = []
const some: readonly WhatIf[] = [lost]

let fetched: ReturnType<typeof vi.fn<(url: string) => Promise<Response>>>
beforeEach(() => {
  Asked.all = []
  fetched = vi.fn((url: string) => Promise.resolve(placed(url)))
  vi.stubGlobal('Worker', Asked)
  vi.stubGlobal('fetch', fetched)
})
afterEach(() => {
  cleanup()
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

interface Given {
  readonly from: BoardSource
  readonly whatIfs: readonly WhatIf[]
}
const show = (given: Given) =>
  renderHook(({ from, whatIfs }: Given) => useBoard(from, whatIfs), { initialProps: given })
const isShown = (hook: ReturnType<typeof show>, zone: string) =>
  waitFor(() => expect(hook.result.current.answer?.board?.zones).toEqual([zone]))

it('as it stands it comes placed, and no worker is asked for it', async () => {
  const hook = show({ from: source, whatIfs: none })
  expect(hook.result.current).toEqual({ answer: null, working: true })
  await isShown(hook, '/placed?version=1')
  expect(hook.result.current.working).toBe(false)
  expect(hook.result.current.answer?.milliseconds).toBe(12)
  expect(Asked.all).toEqual([])
})

it('the worker gets ready once the board is there, and tells nothing of that', async () => {
  vi.useFakeTimers({ shouldAdvanceTime: true })
  const hook = show({ from: source, whatIfs: none })
  await isShown(hook, '/placed?version=1')
  await vi.advanceTimersByTimeAsync(2000)
  const [worker] = Asked.all
  expect(worker?.questions).toEqual([expect.objectContaining({ whatIfs: null, source })])
  expect(hook.result.current.working).toBe(false)
})

it('what is asked of it goes to the worker, with the objects the first time alone', async () => {
  const hook = show({ from: source, whatIfs: none })
  await isShown(hook, '/placed?version=1')
  hook.rerender({ from: source, whatIfs: some })
  expect(hook.result.current.working).toBe(true)
  const [worker] = Asked.all
  expect(worker?.questions).toEqual([expect.objectContaining({ whatIfs: some, source })])
  worker?.answer(boardOf('without a'))
  expect(hook.result.current.answer?.board?.zones).toEqual(['without a'])
  hook.rerender({ from: source, whatIfs: [lost, lost] })
  expect(worker?.questions.at(-1)).not.toHaveProperty('source')
})

it('with a question in its address the objects are placed here from the start', () => {
  show({ from: source, whatIfs: some })
  expect(fetched).not.toHaveBeenCalled()
  expect(Asked.all[0]?.questions).toHaveLength(1)
})

it('without the question again, the worker that has the objects is asked', async () => {
  const hook = show({ from: source, whatIfs: some })
  hook.rerender({ from: source, whatIfs: none })
  expect(Asked.all[0]?.questions.at(-1)).toMatchObject({ whatIfs: none })
  expect(fetched).not.toHaveBeenCalled()
  Asked.all[0]?.answer(boardOf('as it stands'))
  await isShown(hook, 'as it stands')
})

it('once the objects are others the board is fetched anew, and the last one stays until then', async () => {
  const hook = show({ from: source, whatIfs: none })
  await isShown(hook, '/placed?version=1')
  hook.rerender({ from: newer, whatIfs: none })
  expect(hook.result.current.working).toBe(true)
  expect(hook.result.current.answer?.board?.zones).toEqual(['/placed?version=1'])
  await isShown(hook, '/placed?version=2')
})

it('an answer to what is not asked any more is not shown', async () => {
  let come: (response: Response) => void = () => undefined
  const late = new Promise<Response>((resolve) => {
    come = resolve
  })
  fetched.mockReturnValueOnce(late)
  const hook = show({ from: source, whatIfs: none })
  hook.rerender({ from: newer, whatIfs: none })
  await isShown(hook, '/placed?version=2')
  come(placed('late'))
  await act(() => late)
  expect(hook.result.current.answer?.board?.zones).toEqual(['/placed?version=2'])
})

it('says so where Gyrarch does not answer', async () => {
  fetched.mockRejectedValue(new Error('gone'))
  const hook = show({ from: source, whatIfs: none })
  await waitFor(() =>
    expect(hook.result.current.answer?.says).toBe(
      'The board did not come: Gyrarch does not answer.',
    ),
  )
  expect(hook.result.current.answer?.board).toBeNull()
})

it('what is pasted is placed in the browser, and goes nowhere', () => {
  show({ from: { pasted: 'kind: Node' }, whatIfs: none })
  expect(fetched).not.toHaveBeenCalled()
  expect(Asked.all[0]?.questions).toEqual([
    expect.objectContaining({ whatIfs: none, source: { pasted: 'kind: Node' } }),
  ])
})

it('a page that is left ends its worker', () => {
  const hook = show({ from: source, whatIfs: some })
  hook.unmount()
  expect(Asked.all[0]?.terminate).toHaveBeenCalled()
})
