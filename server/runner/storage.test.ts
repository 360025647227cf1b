/** Changes to replicated storage, run and taken back against the stand-ins. */
import { beforeEach, describe, expect, it } from 'vitest'
import type { Gyrarch } from '../gyrarch'
import { draftAndRun, gyrarchForEach, runOut } from '../testing/open'

let gyrarch: Gyrarch
gyrarchForEach((opened) => (gyrarch = opened.gyrarch))

const storage = async () => {
  const cluster = await gyrarch.cluster('cedar', gyrarch.fleet)
  if (!cluster.storage) throw new Error('cedar keeps volumes')
  return cluster.storage
}
const listening = async () => [...new Set((await storage()).listens.map(({ network }) => network))]
const serving = async () => (await storage()).volumes.map(({ attached }) => attached.length)

const link = {
  cluster: 'cedar',
  node: 'cedar-storage-3',
  network: 'mossgate storage',
  mtu: 9000,
}
const move = { cluster: 'cedar', network: 'mossgate storage', detach: true }

describe('the network that copies travel', () => {
  beforeEach(async () => {
    expect((await draftAndRun(gyrarch, 'storage.link', link)).state).toBe('done')
  })

  it('is changed with everything that holds volumes stopped and started again, and taken back the same way', async () => {
    const before = await serving()
    const done = await draftAndRun(gyrarch, 'storage.network', move)
    expect(done.proof?.map(({ holds }) => holds)).toEqual([true, true, true])
    expect(await listening()).toEqual(['mossgate storage'])
    expect(await serving()).toEqual(before)
    await gyrarch.changes.takeBack(done.id, ['cedar'])
    expect((await runOut(gyrarch, done.id)).state).toBe('taken-back')
    expect(await listening()).toEqual(['mossgate nodes'])
    expect(await serving()).toEqual(before)
  })

  it('is not drafted past what is served', async () => {
    const { id, findings } = await gyrarch.changes.draft('storage.network', {
      ...move,
      detach: false,
    })
    expect(findings.filter(({ level }) => level === 'stop')).toHaveLength(6)
    await expect(gyrarch.changes.run(id, { accept: [], confirm: 'cedar' })).rejects.toMatchObject({
      code: 'conflict',
    })
  })
})

describe('a disk', () => {
  it('is emptied before it goes, and its run says how long that took', async () => {
    const disk = { cluster: 'cedar', node: 'cedar-general-1', disk: 'bay-1' }
    const done = await draftAndRun(gyrarch, 'disk.retire', disk)
    expect(done.proof?.map(({ holds }) => holds)).toEqual([true, true])
    const kept = await storage()
    expect(kept.disks.map(({ node }) => node)).not.toContain('cedar-general-1')
    const moved = kept.volumes.find(({ name }) => name === 'gathering-ledger-1')
    expect(moved?.replicas.map(({ node }) => node)).toContain('cedar-storage-1')
  })
})

describe('a snapshot', () => {
  it('is put back under a workload that is stopped for it, and what was there is kept', async () => {
    const of = { cluster: 'cedar', volume: 'seed-photos', snapshot: 'monday' }
    await draftAndRun(gyrarch, 'snapshot.take', of)
    await gyrarch.outside.advance(24 * 3600)
    const grown = (await storage()).volumes.find(({ name }) => name === 'seed-photos')?.usedBytes
    const done = await draftAndRun(gyrarch, 'snapshot.restore', { ...of, detach: true })
    expect(done.proof?.map(({ holds }) => holds)).toEqual([true, true])
    const volume = (await storage()).volumes.find(({ name }) => name === 'seed-photos')
    expect(volume?.usedBytes).toBeLessThan(grown ?? 0)
    expect(volume?.snapshots.map(({ name }) => name)).toEqual(['monday', 'before-restore'])
    expect(volume?.attached).toHaveLength(2)
  })
})

describe('a namespace', () => {
  it('is let use a class that was made for it', async () => {
    const made = { cluster: 'cedar', name: 'cellar-any', copies: 2, zones: 'any' }
    expect((await draftAndRun(gyrarch, 'storage.class', made)).state).toBe('done')
    const done = await draftAndRun(gyrarch, 'storage.grant', {
      cluster: 'cedar',
      namespace: 'irrigation',
      class: 'cellar-any',
      gigabytes: 100,
    })
    expect(done.proof?.map(({ holds }) => holds)).toEqual([true, true])
  })
})
