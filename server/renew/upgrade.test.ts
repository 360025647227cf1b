/** Clusters taken from release to release in the stand-ins: what the draft says comes true. */
import { describe, expect, it } from 'vitest'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})

describe('burdock', () => {
  it('goes from 1.24 to 1.33', async () => {
    const { gyrarch } = opened
    const drafted = await gyrarch.changes.draft('cluster.upgrade', { cluster: 'burdock', to: '1.33' })
    console.log(drafted.findings.map((f) => [f.level, f.rule, f.says, f.remedies.map((r) => r.says)]))
    console.log(drafted.plan?.steps.length, drafted.plan?.seconds, drafted.plan?.steps.map((s) => s.id).join(' '))
    for (const finding of drafted.findings.filter((f) => f.level === 'stop')) {
      const change = finding.remedies[0]?.change
      if (change && 'kind' in change) {
        const r = await draftAndRun(gyrarch, change.kind, change.intent)
        console.log(change.kind, r.state, r.cause?.says)
      }
    }
    const again = await gyrarch.changes.draft('cluster.upgrade', { cluster: 'burdock', to: '1.33' })
    console.log(again.findings.map((f) => [f.level, f.rule, f.says, f.remedies.map((r) => r.says)]))
    const from = gyrarch.outside.now
    const run = await draftAndRun(gyrarch, 'cluster.upgrade', { cluster: 'burdock', to: '1.33' }, 12)
    console.log(run.state, run.cause?.says, run.proof, (gyrarch.outside.now - from) / 1000)
    expect(run.state).toBe('done')
  })
})
