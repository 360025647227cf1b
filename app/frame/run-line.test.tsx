// @vitest-environment jsdom
import { cleanup, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { createRoutesStub } from 'react-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { StepProgress } from '~/core/changes'
import { Stream, stubLiveBrowser } from '../testing/live-browser'
import type * as RunLines from './run-line'

let line: typeof RunLines

beforeEach(async () => {
  stubLiveBrowser()
  // Each test has a stream of its own.
  vi.resetModules()
  line = await import('./run-line')
})
afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

const now = '2026-03-02T06:10:00Z'

const step = (id: string, more: Partial<StepProgress> = {}): StepProgress => ({
  id,
  after: [],
  says: `do ${id}`,
  group: `group ${id}`,
  state: 'waiting',
  attempts: 0,
  seconds: { likely: 60, worst: 120 },
  startedAt: null,
  endedAt: null,
  dueAt: null,
  ...more,
})

const doneStep = (id: string): StepProgress =>
  step(id, {
    state: 'done',
    startedAt: '2026-03-02T06:00:00Z',
    endedAt: '2026-03-02T06:01:00Z',
  })

interface Run {
  readonly id: string
  readonly label: string
  readonly state: string
  readonly steps: readonly StepProgress[]
}

const running: Run = {
  id: 'c-1',
  label: 'raise birch',
  state: 'running',
  steps: [
    doneStep('a'),
    step('b', { after: ['a'], state: 'running', startedAt: '2026-03-02T06:09:30Z' }),
  ],
}
const halted: Run = {
  id: 'c-2',
  label: 'resize cedar',
  state: 'halted',
  steps: [step('x', { state: 'failed', startedAt: now, endedAt: now })],
}

function show(runs: readonly Run[]) {
  const { RunLine } = line
  const Line = () => <RunLine given={runs} now={now} />
  const Stub = createRoutesStub([{ path: '*', Component: Line }])
  return render(<Stub />)
}

describe('the run line', () => {
  it('is not there while nothing runs', () => {
    show([{ ...running, state: 'done' }])
    expect(screen.queryByRole('status')).toBeNull()
  })

  it('says what the run does now, how far it is and how long it will take', () => {
    show([running])
    expect(screen.getByText('raise birch')).toBeTruthy()
    expect(screen.getByText('group b: do b')).toBeTruthy()
    expect(screen.getByText('30 s left')).toBeTruthy()
    const bar = screen.getByRole('progressbar')
    expect(Number(bar.getAttribute('aria-valuenow'))).toBeGreaterThanOrEqual(50)
    expect(screen.getByRole('link').getAttribute('href')).toBe('/changes/c-1')
  })

  it('puts what has halted first, for it wants somebody, and the others behind a button', async () => {
    show([running, halted, { ...running, id: 'c-3', label: 'wait', state: 'waiting' }])
    expect(screen.getByText('halted: group x: do x')).toBeTruthy()
    expect(screen.getByText('wants you')).toBeTruthy()
    expect(screen.queryByText('raise birch')).toBeNull()
    const more = screen.getByRole('button', { name: '2 more' })
    expect(more.getAttribute('aria-expanded')).toBe('false')
    await userEvent.click(more)
    expect(more.getAttribute('aria-expanded')).toBe('true')
    expect(screen.getByText('raise birch')).toBeTruthy()
    await userEvent.click(screen.getByText('raise birch'))
    expect(screen.queryByText('raise birch')).toBeNull()
  })

  it('says of a run that is taken back that it is undone', () => {
    const undoing = step('b', { state: 'running', startedAt: now, undoing: true })
    show([{ ...running, state: 'undoing', steps: [undoing] }])
    expect(screen.getByText('undoing group b: do b')).toBeTruthy()
  })

  it('says that a step is to be tried again', () => {
    show([{ ...running, steps: [step('b', { state: 'retrying', startedAt: now })] }])
    expect(screen.getByText('group b: do b, to be tried again')).toBeTruthy()
  })

  it('takes in what the stream tells without reading the page again', async () => {
    show([running])
    Stream.all[0]?.tell('run', {
      id: 'c-1',
      label: 'raise birch',
      state: 'halted',
      startedAt: null,
      endedAt: null,
      steps: [],
    })
    expect(await screen.findByText('wants you')).toBeTruthy()
  })
})

describe('steps with the changed ones', () => {
  it('keep their places', () => {
    const steps = [step('a'), step('b'), step('c')]
    const fresh = step('b', { state: 'running' })
    expect(line.mergeSteps(steps, [fresh]).map(({ id, state }) => `${id} ${state}`)).toEqual([
      'a waiting',
      'b running',
      'c waiting',
    ])
  })

  it('are the same list where nothing changed, and take none that was not there', () => {
    const steps = [step('a')]
    expect(line.mergeSteps(steps, [])).toBe(steps)
    expect(line.mergeSteps(steps, [step('z')])).toEqual(steps)
  })
})
