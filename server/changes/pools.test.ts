import { describe, expect, it } from 'vitest'
import { record, records } from '~/core/objects'
import { draftAndRun, gyrarchForAll, type Opened } from '~/server/testing/open'

let opened: Opened
gyrarchForAll((made) => (opened = made))

const draft = (kind: string, intent: unknown) => opened.gyrarch.changes.draft(kind, intent)
const run = (kind: string, intent: unknown) => draftAndRun(opened.gyrarch, kind, intent)
const pools = async (name: string) =>
  (await opened.gyrarch.fleet.view()).clusters.find((cluster) => cluster.name === name)?.pools ?? []

const isRunning = (pod: Readonly<Record<string, unknown>>): boolean =>
  record(pod['status'])['phase'] === 'Running'

describe('pools of a cluster that stands', () => {
  it('are added with their nodes, taints and register entry, and given up again', async () => {
    const taint = { key: 'use', value: 'trial', effect: 'NoSchedule' as const }
    expect(
      (
        await run('pool.add', {
          cluster: 'dill',
          pool: 'trial',
          size: 'reed-2-8',
          count: 2,
          taints: [taint],
        })
      ).state,
    ).toBe('done')
    const added = (await pools('dill')).find((pool) => pool.name === 'trial')
    expect({ size: added?.size, nodes: added?.nodes.length, taints: added?.taints }).toEqual({
      size: 'reed-2-8',
      nodes: 2,
      taints: [taint],
    })
    expect((await run('pool.remove', { cluster: 'dill', pool: 'trial' })).state).toBe('done')
    expect((await pools('dill')).map((pool) => pool.name)).toEqual(['base', 'general'])
    expect(
      (await opened.gyrarch.fleet.view()).sites
        .find((site) => site.name === 'tarn-north')
        ?.machines.filter((machine) => machine.name.includes('trial')),
    ).toEqual([])
  })

  it('bear other labels and taints once they are edited, and the old ones once that is taken back', async () => {
    const edited = await run('pool.edit', {
      cluster: 'dill',
      pool: 'general',
      labels: { shelf: 'north' },
    })
    expect(edited.state).toBe('done')
    const nodes = (await opened.gyrarch.outside.objects('dill', { kind: 'Node' })) ?? []
    expect(
      nodes.filter(
        (node) =>
          (node['metadata'] as { labels: Record<string, string> }).labels['shelf'] === 'north',
      ),
    ).toHaveLength(2)
  })

  it('end the pods that a new NoExecute taint does not suffer, which are made anew elsewhere', async () => {
    const taints = [{ key: 'wet', value: '', effect: 'NoExecute' as const }]
    expect((await run('pool.edit', { cluster: 'dill', pool: 'base', taints })).state).toBe('done')
    await opened.gyrarch.outside.advance(120)
    const pods = (await opened.gyrarch.outside.objects('dill', { kind: 'Pod' })) ?? []
    const leftBehind = pods.filter((pod) => {
      const [owner] = records(record(pod['metadata'])['ownerReferences'])
      return record(pod['spec'])['nodeName'] === 'dill-base-1' && owner?.['kind'] !== 'DaemonSet'
    })
    expect(leftBehind).toEqual([])
    expect(pods.length).toBeGreaterThan(0)
    expect(pods.every(isRunning)).toBe(true)
    expect((await run('pool.edit', { cluster: 'dill', pool: 'base', taints: [] })).state).toBe(
      'done',
    )
  })

  it('are of another size once they are turned over, one node after another, with every pod running again', async () => {
    const drafted = await draft('pool.edit', { cluster: 'dill', pool: 'general', size: 'reed-2-8' })
    expect(drafted.findings.filter((finding) => finding.level === 'stop')).toEqual([])
    const boots = drafted.plan?.steps.filter((step) => step.id.startsWith('create:')) ?? []
    expect(boots.map((boot) => boot.after)).toEqual([['enter'], ['delete:dill-general-1']])
    expect(drafted.plan?.spend.after).toBeLessThan(drafted.plan?.spend.before ?? 0)
    const done = await run('pool.edit', { cluster: 'dill', pool: 'general', size: 'reed-2-8' })
    expect(done.state).toBe('done')
    expect(done.proof?.every((proof) => proof.holds)).toBe(true)
    await opened.gyrarch.outside.advance(120)
    const pods = (await opened.gyrarch.outside.objects('dill', { kind: 'Pod' })) ?? []
    expect(pods.length).toBeGreaterThan(0)
    expect(pods.every(isRunning)).toBe(true)
    expect(
      (await run('pool.edit', { cluster: 'dill', pool: 'general', size: 'reed-4-16' })).state,
    ).toBe('done')
  })

  it.each<[string, string, unknown, RegExp]>([
    [
      'a size too small for what runs',
      'pool.edit',
      { cluster: 'cedar', pool: 'general', size: 'rack-4' },
      /does not leave cedar-general-\d.*cpu/,
    ],
    [
      'a turnover to the same size',
      'pool.edit',
      { cluster: 'dill', pool: 'general', size: 'reed-4-16' },
      /is of reed-4-16 already/,
    ],
    [
      'a turnover with other labels',
      'pool.edit',
      { cluster: 'dill', pool: 'general', size: 'reed-2-8', labels: { a: 'b' } },
      /change of their own/,
    ],
    [
      'a pool of the same name',
      'pool.add',
      { cluster: 'dill', pool: 'general', size: 'reed-2-8', count: 1 },
      /has a pool general already/,
    ],
    [
      'a size the site does not offer',
      'pool.add',
      { cluster: 'dill', pool: 'more', size: 'rack-8', count: 1 },
      /offers no size rack-8/,
    ],
    [
      'more than the quota',
      'pool.add',
      { cluster: 'dill', pool: 'more', size: 'reed-4-16', count: 20 },
      /allows 32, of which 12 are in use: 60 too many/,
    ],
    [
      'giving up a pool whose pods have nowhere to go',
      'pool.remove',
      { cluster: 'cedar', pool: 'general' },
      /platform’s own pods have no node that takes them/,
    ],
    [
      'a taint that would end pods',
      'pool.edit',
      { cluster: 'cedar', pool: 'general', taints: [{ key: 'wet', effect: 'NoExecute' }] },
      /NoExecute would end them at once/,
    ],
    [
      'draining a node whose budget never lets go',
      'node.drain',
      { cluster: 'cedar', nodes: ['cedar-general-1'] },
      /Disruption budget climate\/climate-loop can never let one go/,
    ],
  ])('refuse %s', async (_name, kind, intent, says) => {
    const { findings } = await draft(kind, intent)
    expect(
      findings
        .filter((finding) => finding.level === 'stop')
        .map((finding) => finding.says)
        .join(' '),
    ).toMatch(says)
  })
})

describe('draining', () => {
  it('goes as it was computed: the same pods leave, one after another, and the node is empty', async () => {
    const drafted = await draft('node.drain', { cluster: 'dill', nodes: ['dill-general-2'] })
    expect(drafted.findings.filter((finding) => finding.level === 'stop')).toEqual([])
    const done = await run('node.drain', { cluster: 'dill', nodes: ['dill-general-2'] })
    expect(done.state).toBe('done')
    expect(done.proof?.every((proof) => proof.holds)).toBe(true)
    expect(
      (await run('node.cordon', { cluster: 'dill', node: 'dill-general-2', open: true })).state,
    ).toBe('done')
  })
})
