import { describe, expect, it } from 'vitest'
import { readWorld, place } from '~/core/placement'
import { gyrarchForAll, runOut, type Opened } from '../testing/open'

let opened: Opened
gyrarchForAll((made) => (opened = made))

const run = async (kind: string, intent: unknown) => {
  const { gyrarch } = opened
  const drafted = await gyrarch.changes.draft(kind, intent)
  await gyrarch.changes.run(drafted.id, { accept: drafted.findings.map((finding) => finding.key) })
  return runOut(gyrarch, drafted.id)
}
const general = async () =>
  (await opened.gyrarch.fleet.view()).clusters
    .find((cluster) => cluster.name === 'dill')
    ?.pools.find((pool) => pool.name === 'general')?.nodes.length
const mill = (replicas: number): string =>
  `apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: seed-mill, namespace: market}\nspec:\n  replicas: ${replicas}\n  selector: {matchLabels: {app: seed-mill}}\n  template:\n    metadata: {labels: {app: seed-mill}}\n    spec: {containers: [{name: mill, image: "registry.fernhollow.example/market/market-desk:2", resources: {requests: {cpu: "1500m", memory: 1Gi}}}]}\n`

describe('pools that scale by themselves', () => {
  it('grow for what waits, and give a node back once it has been half empty for ten minutes', async () => {
    const { gyrarch } = opened
    expect(
      (
        await run('pool.resize', {
          cluster: 'dill',
          pool: 'general',
          count: 2,
          range: { min: 2, max: 5 },
        })
      ).state,
    ).toBe('done')
    expect((await run('cluster.autoscale', { cluster: 'dill', enabled: true })).state).toBe('done')
    expect(await general()).toBe(2)
    const drafted = await gyrarch.changes.draft('manifest.apply', {
      cluster: 'dill',
      text: mill(8),
    })
    await gyrarch.changes.run(drafted.id, { accept: [] })
    await gyrarch.outside.advance(1500)
    const objects = (await gyrarch.fleet.objectsOf('dill')) ?? []
    const world = readWorld(objects)
    expect(world.ok && place(world.world, { remedies: false }).waiting).toEqual([])
    expect(await general()).toBe(4)
    const changes = (await gyrarch.changes.list()).filter((row) => row.title === 'autoscaling')
    expect(changes.map((row) => row.state)).toEqual(['done'])
    expect((await gyrarch.changes.get(drafted.id)).state).toBe('done')

    await run('manifest.apply', { cluster: 'dill', text: mill(1) })
    await gyrarch.outside.advance(4200)
    expect(await general()).toBe(2)
  })

  it('never grow past their range, and say why not', async () => {
    const { gyrarch } = opened
    const drafted = await gyrarch.changes.draft('manifest.apply', {
      cluster: 'dill',
      text: mill(30),
    })
    await gyrarch.changes.run(drafted.id, {
      accept: drafted.findings.map((finding) => finding.key),
    })
    await gyrarch.outside.advance(2400)
    expect(await general()).toBe(5)
  })
})

describe('spot machines', () => {
  it('are taken back at two minutes’ notice, and what ran there is made anew elsewhere', async () => {
    const { gyrarch } = opened
    await run('manifest.apply', { cluster: 'dill', text: mill(1) })
    expect((await run('cluster.autoscale', { cluster: 'dill', enabled: false })).state).toBe('done')
    expect(
      (
        await run('pool.add', {
          cluster: 'dill',
          pool: 'brief',
          size: 'reed-2-8',
          count: 1,
          lifetime: 'spot',
        })
      ).state,
    ).toBe('done')
    const spot = (await gyrarch.fleet.view()).sites
      .find((site) => site.name === 'tarn-north')
      ?.machines.find((machine) => machine.lifetime === 'spot')
    expect(
      await gyrarch.outside.faultObjection('spot-taken', 'machine/tarn-north/dill-general-1'),
    ).toContain('no spot machine')
    await gyrarch.putFault({
      fault: 'spot-taken',
      about: `machine/tarn-north/${spot?.name ?? ''}`,
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    await gyrarch.outside.advance(60)
    const node = async () =>
      (await gyrarch.fleet.view()).clusters
        .find((cluster) => cluster.name === 'dill')
        ?.pools.find((pool) => pool.name === 'brief')?.nodes[0]
    expect((await node())?.cordoned).toBe(true)
    await gyrarch.outside.advance(90)
    expect(await node()).toBeUndefined()
    expect(
      (await gyrarch.fleet.view()).sites
        .find((site) => site.name === 'tarn-north')
        ?.machines.some((machine) => machine.lifetime === 'spot'),
    ).toBe(false)
  })
})
