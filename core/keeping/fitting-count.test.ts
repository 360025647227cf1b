import { describe, expect, it } from 'vitest'
import { findingsOf, patchDraft, type ChangeKind } from '../changes'
import { demoFleet } from '../testing/demo-fleet'
import { poolAdd, poolResize } from '.'

const view = demoFleet()

/** The number that is offered first for a number that does not fit, tried; and one more, tried too. */
function offered<Intent extends { readonly count: number }>(
  kind: ChangeKind<Intent>,
  asked: unknown,
  rule: string,
) {
  const findings = (intent: unknown) => findingsOf(kind, kind.intent.parse(intent), view)
  const stopsAt = (intent: unknown): readonly string[] =>
    findings(intent)
      .filter(({ level }) => level === 'stop')
      .map((finding) => finding.rule)
  const change = findings(asked).find((finding) => finding.rule === rule)?.remedies[0]?.change
  const patched = (
    change && 'patchDraft' in change ? patchDraft(asked, change.patchDraft) : null
  ) as { readonly count: number } | null
  if (!patched) return null
  return {
    count: patched.count,
    stops: stopsAt(patched),
    oneMore: stopsAt({ ...patched, count: patched.count + 1 }),
  }
}

describe('a number of nodes that does not fit', () => {
  it('is answered with the largest that does, when a pool grows', () => {
    const asked = { cluster: 'cedar', pool: 'general', count: 300 }
    const answer = offered(poolResize, asked, 'hosts.room')
    expect(answer?.count).toBeGreaterThan(6)
    expect(answer).toMatchObject({ stops: [], oneMore: ['hosts.room'] })
  })

  it('and when a pool is added', () => {
    const asked = { cluster: 'cedar', pool: 'batch', size: 'rack-8', count: 200 }
    expect(offered(poolAdd, asked, 'hosts.room')).toMatchObject({
      stops: [],
      oneMore: ['hosts.room'],
    })
    const cloud = { cluster: 'dill', pool: 'batch', size: 'reed-4-16', count: 200 }
    expect(offered(poolAdd, cloud, 'quota.cores')).toMatchObject({
      stops: [],
      oneMore: ['quota.cores'],
    })
  })
})
