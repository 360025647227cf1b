import { describe, expect, it } from 'vitest'
import { patchDraft } from '~/core/changes'
import { draftAndRun, gyrarchForAll, runOut, type Opened } from '../testing/open'

let opened: Opened
gyrarchForAll((made) => (opened = made))

const draft = (kind: string, intent: unknown) => opened.gyrarch.changes.draft(kind, intent)
const run = (kind: string, intent: unknown) => draftAndRun(opened.gyrarch, kind, intent)
const dill = async () =>
  (await opened.gyrarch.fleet.view()).clusters.find((cluster) => cluster.name === 'dill')

describe('a stopped cluster', () => {
  it.each<[string, object]>([
    ['pool.resize', { pool: 'general', count: 3 }],
    ['pool.add', { pool: 'more', size: 'reed-2-8', count: 1 }],
    ['node.drain', { nodes: ['dill-general-1'] }],
    ['manifest.apply', { text: 'apiVersion: v1\nkind: Namespace\nmetadata: {name: x}\n' }],
    ['wire.keep-source', { add: ['10.88.4.0/24'] }],
  ])(
    'is told of as stopped in a draft of %s, with its start as the remedy',
    async (kind, fields) => {
      if ((await dill())?.resting === false)
        expect((await run('cluster.stop', { cluster: 'dill' })).state).toBe('done')
      const { findings } = await draft(kind, { cluster: 'dill', ...fields })
      expect(findings.map(({ rule, says }) => [rule, says])).toEqual([
        ['cluster.rests', 'dill is stopped: start it first.'],
      ])
      expect(findings[0]?.remedies.map(({ says }) => says)).toEqual(['Start dill'])
    },
  )

  it('whose size is sold out is started in another size, which the register has then', async () => {
    const { gyrarch } = opened
    const site = (await gyrarch.fleet.view()).sites.find(({ name }) => name === 'tarn-north')
    for (const zone of site?.zones ?? [])
      await gyrarch.putFault({
        fault: 'no-stock',
        about: `size/tarn-north/${zone}/reed-4-16`,
        mode: 'permanent',
        times: 1,
        afterSeconds: 0,
      })
    await gyrarch.outside.advance(5)
    const drafted = await draft('cluster.start', { cluster: 'dill' })
    let { intent } = drafted
    for (const told of drafted.findings.filter(({ level }) => level === 'stop')) {
      expect(told.says).toContain('No reed-4-16 is left')
      const change = told.remedies.find(({ says }) => says.startsWith('Take reed-2-8'))?.change
      if (!change || !('patchDraft' in change)) throw new Error('no other size is offered')
      intent = patchDraft(intent, change.patchDraft)
      // What the next remedy was proven with is what it was drafted with.
      const amended = await gyrarch.changes.amend(drafted.id, intent, null)
      const left = amended.findings.filter(({ level }) => level === 'stop')
      expect(left.map(({ key }) => key)).not.toContain(told.key)
    }
    const pools = ['base', 'general']
    await gyrarch.changes.amend(
      drafted.id,
      { cluster: 'dill', otherwise: pools.map((pool) => ({ pool, size: 'reed-2-8' })) },
      null,
    )
    const amended = await gyrarch.changes.get(drafted.id)
    expect(amended.findings.filter(({ level }) => level === 'stop')).toEqual([])
    await gyrarch.changes.run(drafted.id, {
      accept: amended.findings.map((finding) => finding.key),
    })
    const done = await runOut(gyrarch, drafted.id)
    expect([done.state, done.proof?.every(({ holds }) => holds)]).toEqual(['done', true])
    expect(
      (await dill())?.pools.map(({ size, nodes }) => [size, nodes.map((node) => node.cpuMilli)]),
    ).toEqual([
      ['reed-2-8', [2000]],
      ['reed-2-8', [2000, 2000]],
    ])
  })

  it('is started in part first', async () => {
    expect((await run('cluster.stop', { cluster: 'dill' })).state).toBe('done')
    const done = await run('cluster.start', { cluster: 'dill', leaveOut: ['general'] })
    expect([done.state, done.proof?.every(({ holds }) => holds)]).toEqual(['done', true])
    expect((await dill())?.pools.map(({ nodes }) => nodes.length)).toEqual([1, 0])
  })
})
