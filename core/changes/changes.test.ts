import { quoted } from '../contract'
import { describe, expect, it } from 'vitest'
import { z } from 'zod'
import type { FleetView } from '../fleet'
import {
  type ChangeKind,
  findingsOf,
  inOrder,
  keyOf,
  lateness,
  longestPath,
  patchDraft,
  type Plan,
  planDigest,
  provenAnswers,
  progressOf,
  type RawFinding,
  type Step,
  type StepProgress,
} from '.'

const step = (id: string, after: string[], likely: number, worst = likely * 2): Step => ({
  id,
  after,
  says: id,
  group: id,
  command: { port: 'site', verb: 'do', args: {} },
  seconds: { likely, worst },
  retry: { attempts: 1, firstSeconds: 1, mostSeconds: 1 },
})

const view = {} as FleetView
const intent = z.strictObject({ a: z.number(), b: z.number() })
type Intent = z.infer<typeof intent>
const emptyPlan: Plan = {
  steps: [],
  creates: [],
  alters: [],
  removes: [],
  seconds: { likely: 0, worst: 0 },
  critical: [],
  spend: { before: 0, after: 0 },
  reserves: [],
}

/** A kind whose draft must have a = 1; b above 10 is a stop of its own. */
const kind = (offers: NonNullable<RawFinding['offers']>): ChangeKind<Intent> => ({
  name: 'test',
  title: 'Test',
  intent,
  needs: () => [],
  subjects: () => [],
  guardedBy: () => null,
  label: () => 'test',
  check: ({ a, b }) => [
    ...(b > 10
      ? [
          {
            level: 'stop' as const,
            rule: 'b',
            field: 'b',
            ...quoted('b', 'b is over 10'),
            because: [],
          },
        ]
      : []),
    ...(a === 1
      ? []
      : [
          {
            level: 'stop' as const,
            rule: 'a',
            field: 'a',
            ...quoted('a', 'a is not 1'),
            because: [],
            offers,
          },
        ]),
  ],
  plan: () => emptyPlan,
  prove: () => [],
})

const set = (says: string, path: string, value: unknown) => ({
  says,
  change: { patchDraft: [{ op: 'replace', path, value } as const] },
})

describe('a remedy', () => {
  it('is shown only if checking again finds the problem gone', () => {
    const [finding] = findingsOf(
      kind([set('no help', '/a', 2), set('helps', '/a', 1)]),
      { a: 0, b: 0 },
      view,
    )
    expect(finding?.remedies.map((remedy) => remedy.says)).toEqual(['helps'])
    expect(finding?.remedies[0]?.clears).toEqual(['a|a'])
  })

  it('is withheld if it brings a new stop, or if the draft would no longer be one', () => {
    const both = {
      says: 'clears a, breaks b',
      change: {
        patchDraft: [
          { op: 'replace', path: '/a', value: 1 },
          { op: 'replace', path: '/b', value: 11 },
        ] as const,
      },
    }
    const [finding] = findingsOf(
      kind([both, set('no number', '/a', 'one'), set('nowhere', '/c/d', 1)]),
      { a: 0, b: 0 },
      view,
    )
    expect(finding?.remedies).toEqual([])
  })

  it('may leave a stop that was there before', () => {
    const findings = findingsOf(kind([set('helps', '/a', 1)]), { a: 0, b: 11 }, view)
    expect(findings.find((finding) => finding.rule === 'a')?.remedies).toHaveLength(1)
  })

  it('leaves the draft itself alone, whatever the patch', () => {
    const draft = { a: 0, b: 0 }
    patchDraft(draft, [{ op: 'replace', path: '/a', value: 1 }])
    expect(draft).toEqual({ a: 0, b: 0 })
    expect(patchDraft(draft, [{ op: 'replace', path: '/__proto__/x', value: 1 }])).toBeNull()
  })

  it('has a finding whose key stays the same from check to check', () => {
    expect(keyOf({ rule: 'disk.data', field: 'machines[0].disk' })).toBe(
      'disk.data|machines[0].disk',
    )
    expect(keyOf({ rule: 'cluster.pods', about: 'cluster/cedar' })).toBe(
      'cluster.pods|cluster/cedar',
    )
  })
})

describe('an answer to a failure', () => {
  const draft = { a: 1, b: 0 }
  const later = { ...view, version: view.version + 1 }
  const another = (says: string) => ({ says, change: { kind: 'another', intent: {} } })
  const apply: Parameters<typeof provenAnswers<Intent>>[5] = ({ kind: name }) =>
    name === 'another' ? later : null

  it('that is another change is shown only where what failed goes in the fleet that it leaves', () => {
    const answers = provenAnswers(
      kind([]),
      draft,
      view,
      [
        { ...another('helps'), goesIn: (after) => after === later },
        { ...another('does not'), goesIn: () => false },
        another('nobody says'),
        { says: 'cannot run', change: { kind: 'no such', intent: {} }, goesIn: () => true },
      ],
      'step|x',
      apply,
    )
    expect(answers).toEqual([
      { says: 'helps', change: { kind: 'another', intent: {} }, clears: ['step|x'] },
    ])
  })

  it('that amends the draft is shown only where nothing stops that', () => {
    const answers = provenAnswers(
      kind([]),
      draft,
      view,
      [set('breaks it', '/b', 11), set('goes', '/b', 3), set('is none', '/b', 'three')],
      'step|x',
    )
    expect(answers.map(({ says }) => says)).toEqual(['goes'])
  })
})

describe('a step graph', () => {
  const diamond = [
    step('a', [], 10),
    step('b', ['a'], 5, 100),
    step('c', ['a'], 20),
    step('d', ['b', 'c'], 1),
  ]

  it('takes as long as its longest path, likely and worst apart', () => {
    expect(longestPath(diamond)).toEqual({
      seconds: { likely: 31, worst: 122 },
      critical: ['a', 'c', 'd'],
    })
  })

  it('is ordered whatever order it is given in, and refuses circles and unknown predecessors', () => {
    expect(
      inOrder([...diamond].reverse())
        .map(({ id }) => id)
        .indexOf('a'),
    ).toBe(0)
    expect(() => inOrder([step('a', ['b'], 1), step('b', ['a'], 1)])).toThrow('circle')
    expect(() => inOrder([step('a', ['x'], 1)])).toThrow('not in the plan')
  })

  it('has a digest that what is done decides, not estimates', () => {
    const plan = (steps: Step[]): Plan => ({ ...emptyPlan, steps })
    const slower = diamond.map((eachStep) => ({ ...eachStep, seconds: { likely: 1, worst: 2 } }))
    expect(planDigest(plan(slower))).toBe(planDigest(plan(diamond)))
    expect(planDigest(plan(diamond.slice(0, 3)))).not.toBe(planDigest(plan(diamond)))
  })
})

describe('progress', () => {
  const at = (seconds: number): string => new Date(seconds * 1000).toISOString()
  const entry = (
    id: string,
    after: string[],
    state: StepProgress['state'],
    likely: number,
    startedAt: number | null = null,
    endedAt: number | null = null,
  ): StepProgress => ({
    id,
    after,
    says: id,
    group: id,
    state,
    attempts: 1,
    seconds: { likely, worst: likely * 2 },
    startedAt: startedAt === null ? null : at(startedAt),
    endedAt: endedAt === null ? null : at(endedAt),
    dueAt: null,
  })

  it('counts what is left along the longest path from now', () => {
    const steps = [
      entry('a', [], 'done', 10, 0, 12),
      entry('b', ['a'], 'running', 30, 12),
      entry('c', ['a'], 'waiting', 5),
      entry('d', ['b', 'c'], 'waiting', 10),
    ]
    const progress = progressOf(steps, 22_000)
    expect(progress).toMatchObject({ done: 1, of: 4, secondsLeft: 30 })
    expect(progress.front?.id).toBe('b')
    expect(progress.share).toBeCloseTo(22 / 52)
  })

  it('puts what failed in front, then what is tried again', () => {
    const steps = [
      entry('a', [], 'running', 100, 0),
      entry('b', [], 'retrying', 5, 0),
      entry('c', [], 'failed', 5, 0),
    ]
    expect(progressOf(steps, 1000).front?.id).toBe('c')
    expect(progressOf(steps.slice(0, 2), 1000).front?.id).toBe('b')
  })

  it('calls a step late past its worst, and stuck once it gives no sign of life', () => {
    const running = entry('a', [], 'running', 100, 0)
    expect(lateness(running, 150_000)).toBeNull()
    expect(
      lateness({ ...running, evidence: [{ at: at(190), ...quoted('alive', 'alive') }] }, 210_000),
    ).toBe('late')
    expect(lateness(running, 210_000)).toBe('stuck')
  })
})
