import { quoted } from '~/core/contract'
import { describe, expect, it } from 'vitest'
import type { Finding, Plan } from '~/core/changes'
import { markdownOf } from '../areas/run/markdown'
import { standingText } from './findings'
import { pathText, refsText, spendText } from './plan'
import { changeGlyph, stepGlyph } from './state'
import { pathOf } from './to'
import { clockText, timeText } from './when'

const finding = (level: Finding['level']): Finding => ({
  key: level,
  level,
  rule: level,
  ...quoted(level, level),
  because: [],
  remedies: [],
})
const step = (id: string, group: string) => ({
  id,
  after: [],
  says: `do ${id}`,
  group,
  command: { port: 'site' as const, verb: 'do', args: {} },
  seconds: { likely: 60, worst: 90 },
  retry: { attempts: 1, firstSeconds: 1, mostSeconds: 1 },
})
const plan: Plan = {
  steps: [step('a', 'network'), step('b', 'cp | 1'), step('c', 'cp | 1')],
  creates: ['node/c/1', 'node/c/2', 'address/s/10.0.0.1', 'address/s/10.0.0.2'],
  alters: [],
  removes: [],
  seconds: { likely: 180, worst: 270 },
  critical: ['a', 'b', 'c'],
  spend: { before: 10, after: 12.5 },
  reserves: [],
}

describe('words', () => {
  it('say what stands against a draft', () => {
    expect(standingText([])).toBe('Nothing stands against it')
    expect(standingText([finding('note')])).toBe('Nothing stands against it')
    expect(standingText([finding('caution'), finding('note')])).toBe(
      'Runs once you accept one caution',
    )
    expect(standingText([finding('stop'), finding('caution')])).toBe('One thing stops this')
    expect(standingText([finding('stop'), finding('stop')])).toBe('2 things stop this')
  })

  it('count what a plan makes, and name what decides how long it takes', () => {
    expect(refsText(plan.creates)).toBe('2 nodes, 2 addresses')
    expect(refsText([])).toBe('nothing')
    expect(pathText(plan)).toBe('network → cp | 1')
    expect(spendText(plan.spend)).toBe('+ 2.5 a month')
    expect(spendText({ before: 3, after: 3 })).toBe('nothing')
    expect(spendText({ before: 3, after: 1 })).toBe('− 2 a month')
    expect(spendText({ before: 3, after: 3, meanwhile: 0.5 })).toBe('+ 0.5 while it runs')
    expect(spendText({ before: 3, after: 4, meanwhile: -0.5 })).toBe(
      '+ 1 a month, − 0.5 while it runs',
    )
  })

  it('tell the time of the stand-ins’ clock, in UTC', () => {
    expect(clockText('2026-03-02T06:42:10Z')).toBe('Mon 2 Mar 06:42:10')
    expect(clockText('2026-03-02T06:42:10Z', { seconds: false, year: true })).toBe(
      'Mon 2 Mar 2026 06:42',
    )
    expect(timeText('2026-12-31T23:59:59.500Z')).toBe('23:59:59')
  })
})

describe('a ref', () => {
  it.each([
    ['cluster/cedar', '/clusters/cedar'],
    ['node/cedar/cedar-1', '/clusters/cedar?on=cedar-1'],
    ['site/mossgate', '/ground?site=mossgate'],
    ['machine/mossgate/m-1', '/ground?site=mossgate'],
    ['change/c-1', '/changes/c-1'],
    ['fleet', null],
    ['quorum/x', null],
  ])('%s has its page %s', (ref, path) => expect(pathOf(ref)).toBe(path))
})

describe('glyphs', () => {
  it('of changes and steps are among the six', () => {
    expect(
      ['draft', 'waiting', 'running', 'halted', 'undoing', 'done', 'taken-back', 'given-up'].map(
        changeGlyph,
      ),
    ).toEqual(['resting', 'resting', 'working', 'broken', 'working', 'well', 'unknown', 'unknown'])
    expect(
      ['waiting', 'running', 'retrying', 'done', 'failed', 'undone', 'skipped'].map(stepGlyph),
    ).toEqual(['resting', 'working', 'strained', 'well', 'broken', 'unknown', 'unknown'])
  })
})

describe('Markdown for a ticket', () => {
  const record = {
    id: 'c-1',
    kind: 'cluster.raise',
    label: 'raise birch',
    state: 'draft',
    plan,
    findings: [finding('caution')],
    steps: [],
    proof: null,
    cause: null,
  } as const
  it('tells a plan, with bars that break no table', () => {
    const text = markdownOf(record)
    expect(text).toContain('# raise birch (c-1): draft')
    expect(text).toContain('- **caution** caution')
    expect(text).toContain('| cp \\| 1 | do b | 1 min | 1 min 30 s |')
  })
  it('tells a halted run with its cause and what it did', () => {
    const done = {
      id: 'a',
      group: 'network',
      says: 'hold addresses',
      state: 'failed',
      attempts: 2,
      startedAt: 'x',
      endedAt: null,
    } as const
    const cause = {
      class: 'permanent' as const,
      reason: 'no-stock',
      ...quoted('no-stock', 'none left'),
      chain: [{ about: 'size/s/z/n', ...quoted('none-in-stock', 'none in stock') }],
    }
    const text = markdownOf({
      ...record,
      state: 'halted',
      steps: [done],
      cause,
      proof: [{ says: 'API answers', holds: false, observed: 'silence' }],
    })
    expect(text).toContain('**Cause:** none left')
    expect(text).toContain('- `size/s/z/n`: none in stock')
    expect(text).toContain('| network | hold addresses | failed | 2 |')
    expect(text).toContain('- **does not hold**: API answers: silence')
  })
})
