import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { StepState } from '../records/models'
import {
  backoffSeconds,
  readyOn,
  readyToUndo,
  resolvedArgs,
  settled,
  type StepStatus,
} from './graph-state'

const step = (
  id: string,
  after: string[],
  state: StepState,
  more: Partial<StepStatus> = {},
): StepStatus => ({ id, after, state, undoing: false, undo: {}, dueAt: null, ...more })
const ids = (steps: readonly StepStatus[]): string[] => steps.map(({ id }) => id)

describe('going on', () => {
  it('starts what waits only for what is done', () => {
    const steps = [
      step('a', [], 'done'),
      step('b', ['a'], 'waiting'),
      step('c', ['a', 'b'], 'waiting'),
      step('d', [], 'running'),
      step('e', ['d'], 'waiting'),
    ]
    expect(ids(readyOn(steps, () => 0))).toEqual(['b'])
  })

  it('starts branches beside a failed one, but nothing behind it', () => {
    const steps = [step('a', [], 'failed'), step('b', ['a'], 'waiting'), step('c', [], 'waiting')]
    expect(ids(readyOn(steps, () => 0))).toEqual(['c'])
  })

  it('tries again when it is due, and not before', () => {
    const steps = [step('a', [], 'retrying', { dueAt: '2026-03-02T06:00:10Z' })]
    const due = Date.parse('2026-03-02T06:00:10Z')
    expect(readyOn(steps, () => due - 1)).toEqual([])
    expect(ids(readyOn(steps, () => due))).toEqual(['a'])
  })

  it('is settled only when every step is done', () => {
    expect(settled([step('a', [], 'done')])).toBe(true)
    expect(settled([step('a', [], 'done'), step('b', [], 'failed')])).toBe(false)
  })
})

describe('going back', () => {
  it('lets running commands end first', () => {
    expect(readyToUndo([step('a', [], 'done'), step('b', [], 'running')], () => 0)).toEqual([])
  })

  it('undoes what came last first, a failed step too, for it may have left something', () => {
    const steps = [
      step('a', [], 'done'),
      step('b', ['a'], 'done'),
      step('c', ['b'], 'failed'),
      step('d', ['a'], 'skipped'),
    ]
    expect(ids(readyToUndo(steps, () => 0))).toEqual(['c'])
    expect(
      ids(
        readyToUndo(
          [step('a', [], 'done'), step('b', ['a'], 'done'), step('c', ['b'], 'undone')],
          () => 0,
        ),
      ),
    ).toEqual(['b'])
  })

  it('holds what an open step stands on through steps that have no undo', () => {
    const steps = [
      step('a', [], 'done'),
      step('b', ['a'], 'done', { undo: null }),
      step('c', ['b'], 'done'),
    ]
    expect(ids(readyToUndo(steps, () => 0))).toEqual(['c'])
  })

  it('leaves a step alone whose undo was given up, and whatever that stands on', () => {
    const steps = [
      step('a', [], 'done'),
      step('b', ['a'], 'failed', { undoing: true }),
      step('c', [], 'done'),
    ]
    expect(ids(readyToUndo(steps, () => 0))).toEqual(['c'])
  })

  it('undoes every step of any graph, none before those that came after it', () => {
    const graph = fc
      .integer({ min: 1, max: 9 })
      .chain((size) =>
        fc.tuple(
          ...Array.from({ length: size }, (_, i) =>
            fc.subarray(Array.from({ length: i }, (__, j) => `s${j}`)),
          ),
        ),
      )
    fc.assert(
      fc.property(graph, (afters) => {
        let steps = afters.map((after, i) => step(`s${i}`, after, 'done'))
        const undone: string[] = []
        for (;;) {
          const ready = ids(readyToUndo(steps, () => 0))
          if (ready.length === 0) break
          for (const id of ready) {
            const dependents = steps
              .filter((stepStatus) => stepStatus.after.includes(id))
              .map((stepStatus) => stepStatus.id)
            expect(dependents.every((dependent) => undone.includes(dependent))).toBe(true)
          }
          undone.push(...ready)
          steps = steps.map((stepStatus) =>
            ready.includes(stepStatus.id)
              ? { ...stepStatus, state: 'undone' as const }
              : stepStatus,
          )
        }
        expect(undone).toHaveLength(afters.length)
      }),
    )
  })
})

describe('the wait before another attempt', () => {
  const policy = { attempts: 8, firstSeconds: 15, mostSeconds: 120 }
  it('doubles up to the longest, give or take a fifth, the same for the same key', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 12 }), fc.string(), (attempts, key) => {
        const wait = backoffSeconds(policy, attempts, key)
        const middle = Math.min(120, 15 * 2 ** (attempts - 1))
        expect(wait).toBeGreaterThanOrEqual(Math.floor(middle * 0.8))
        expect(wait).toBeLessThanOrEqual(Math.ceil(middle * 1.2))
        expect(backoffSeconds(policy, attempts, key)).toBe(wait)
      }),
    )
  })
})

describe('arguments', () => {
  it('take values out of earlier results, at any depth', () => {
    const args = {
      endpoint: { $from: 'plane', path: 'endpoint' },
      list: [{ at: { $from: 'plane', path: 'a.b' } }],
      plain: 1,
      none: null,
    }
    expect(resolvedArgs(args, { plane: { endpoint: 'https://x', a: { b: 2 } } })).toEqual({
      endpoint: 'https://x',
      list: [{ at: 2 }],
      plain: 1,
      none: null,
    })
  })
  it('read what is not there as nothing', () => {
    expect(resolvedArgs({ a: { $from: 'lost', path: 'x' } }, {})).toEqual({ a: null })
  })
})
