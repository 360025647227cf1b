// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { StorageReport } from '~/core/contract'
import { clusterOf } from '~/core/fleet'
import { lossesOfStorage } from '~/core/storage'
import { pagesOf, press, reason } from '../../testing/pages'
import * as disks from './disks'

const pages = pagesOf({ '/store/disks': disks })
const ofCedar = '/store/disks?aim=cluster/cedar'

async function storage(): Promise<StorageReport> {
  const kept = clusterOf(await pages.gyrarch.fleet.view(), 'cedar')?.storage
  if (!kept) throw new Error('cedar keeps no copies')
  return kept
}

const volumeWhere = async (
  takes: (volume: StorageReport['volumes'][number]) => boolean,
): Promise<StorageReport['volumes'][number]> => {
  const volume = (await storage()).volumes.find(takes)
  if (!volume) throw new Error('there is no such volume')
  return volume
}

describe('the disks of a cluster', () => {
  it('without an aim one of those that keep copies is chosen', async () => {
    await pages.open('/store/disks')
    expect(screen.getByText('Whose disks?')).toBeTruthy()
    const { clusters } = await pages.gyrarch.fleet.view()
    for (const { name, storage: kept } of clusters)
      expect(screen.queryAllByRole('button', { name }).length).toBe(kept ? 1 : 0)
  })

  it('one that keeps none says where its volumes are', async () => {
    await pages.open('/store/disks?aim=cluster/bramble')
    expect(screen.getByText(/its volumes are disks of its site/)).toBeTruthy()
  })

  it('counts volumes and copies, and names the network that they travel', async () => {
    await pages.open(ofCedar)
    const { volumes, network } = await storage()
    const copies = volumes.reduce((sum, { replicas }) => sum + replicas.length, 0)
    expect(
      screen.getByText(`${volumes.length} volumes · ${copies} copies · copies travel ${network}`),
    ).toBeTruthy()
  })

  it('says which loss takes the last copy of what', async () => {
    await pages.open(ofCedar)
    const costly = lossesOfStorage(await storage()).filter(({ lost }) => lost.length > 0)
    expect(costly.length).toBeGreaterThan(0)
    for (const { disk } of costly.slice(0, 6))
      expect(within(reason()).getByRole('link', { name: disk })).toBeTruthy()
  })

  it('is a table by one key, with every volume in it', async () => {
    await pages.open(ofCedar)
    await userEvent.keyboard('t')
    expect(await screen.findByRole('columnheader', { name: /full in days/ })).toBeTruthy()
    for (const { name } of (await storage()).volumes)
      expect(screen.getAllByText(name).length).toBeGreaterThan(0)
  })
})

describe('what a loss would cost', () => {
  it('names what would be gone, and drafts one copy more of it', async () => {
    const costly = lossesOfStorage(await storage()).find(({ lost }) => lost.length === 1)
    const [volume = ''] = costly?.lost ?? []
    await pages.open(`${ofCedar}&lose=${encodeURIComponent(costly?.disk ?? '')}`)
    expect(within(reason()).getByText(volume)).toBeTruthy()
    const { copies } = await volumeWhere(({ name }) => name === volume)
    await press(`Keep ${copies + 1} copies`, reason())
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('volume.copies')
    expect(intent).toMatchObject({ cluster: 'cedar', volume, copies: copies + 1 })
  })

  it('of a zone says how long copying takes over each network', async () => {
    const { disks: all, networks } = await storage()
    await pages.open(`${ofCedar}&lose=${all[0]?.zone ?? ''}`)
    const facts = reason().textContent ?? ''
    for (const { name } of networks) expect(facts).toContain(`over ${name}`)
    expect(facts).toContain('Degraded, still served')
  })

  it('of a disk offers to empty it first', async () => {
    const disk = (await storage()).disks.find(({ state }) => state === 'ready')
    await pages.open(`${ofCedar}&lose=${disk?.node ?? ''}/${disk?.name ?? ''}`)
    await press('Empty it and give it back', reason())
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('disk.retire')
    expect(intent).toMatchObject({ cluster: 'cedar', node: disk?.node, disk: disk?.name })
  })
})

describe('a volume', () => {
  const open = async (name: string): Promise<void> => pages.open(`${ofCedar}&volume=${name}`)

  it('tells where each copy lies and who would be hit', async () => {
    const { name, replicas, attached } = await volumeWhere((volume) => volume.attached.length > 0)
    await open(name)
    const facts = reason().textContent ?? ''
    for (const { node, disk } of replicas) expect(facts).toContain(`${node}/${disk}`)
    for (const { pod } of attached) expect(facts).toContain(pod)
  })

  it('is moved to a disk on a node that holds no copy of it', async () => {
    const volume = await volumeWhere(({ replicas }) => replicas.length > 0)
    await open(volume.name)
    await press('Move a copy')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('volume.move')
    const { from, to } = intent as { from: string; to: string }
    const [copy] = volume.replicas
    expect(from).toBe(`${copy?.node ?? ''}/${copy?.disk ?? ''}`)
    expect(volume.replicas.map(({ node }) => node)).not.toContain(to.split('/')[0])
  })

  it('is grown by a quarter', async () => {
    const { name, bytes } = await volumeWhere(() => true)
    await open(name)
    await press('Grow it')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('volume.resize')
    expect((intent as { gigabytes: number }).gigabytes).toBe(Math.ceil((bytes / 1e9) * 1.25))
  })

  it('has snapshots taken every night, seven of them kept', async () => {
    const view = await pages.gyrarch.fleet.view()
    const scheduled = new Set((view.snapshotSchedules ?? []).map(({ volume }) => volume))
    const { name } = await volumeWhere((volume) => !scheduled.has(volume.name))
    await open(name)
    await press('Take them every night')
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('snapshot.schedule')
    expect(intent).toMatchObject({ cluster: 'cedar', volume: name, rule: 'FREQ=DAILY', keep: 7 })
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  })
})
