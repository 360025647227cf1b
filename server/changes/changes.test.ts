import { describe, expect, it } from 'vitest'
import type { Gyrarch } from '../gyrarch'
import { birch, elm, fernlet, gyrarchForEach, runOut } from '../testing/open'
import { covers } from './start'

let gyrarch: Gyrarch
gyrarchForEach((opened) => {
  gyrarch = opened.gyrarch
})

describe('a draft', () => {
  it('is kept as it was read, with its defaults, under a number of its own', async () => {
    const change = await gyrarch.changes.draft('cluster.raise', elm, 'the box')
    const secondChange = await gyrarch.changes.draft('cluster.raise', fernlet)
    expect([change.id, secondChange.id]).toEqual(['c-1', 'c-2'])
    expect(change).toMatchObject({
      title: 'the box',
      state: 'draft',
      version: 1,
      intent: { guarded: false, labels: {} },
    })
    expect((await gyrarch.changes.list()).map((row) => row.number)).toEqual([2, 1])
  })

  it('is amended only by who read its last version', async () => {
    const { id } = await gyrarch.changes.draft('cluster.raise', elm)
    const amended = await gyrarch.changes.amend(id, { ...elm, name: 'elm-13' }, 1)
    expect(amended).toMatchObject({ version: 2, label: 'raise elm-13' })
    await expect(gyrarch.changes.amend(id, elm, 1)).rejects.toMatchObject({
      code: 'conflict',
      more: { version: 2 },
    })
    expect((await gyrarch.changes.get(id)).intent).toMatchObject({ name: 'elm-13' })
  })

  it('of two that amend the same version at once, takes one', async () => {
    const { id } = await gyrarch.changes.draft('cluster.raise', elm)
    const both = await Promise.allSettled([
      gyrarch.changes.amend(id, { ...elm, name: 'elm-a' }, 1),
      gyrarch.changes.amend(id, { ...elm, name: 'elm-b' }, 1),
    ])
    expect(both.map((outcome) => outcome.status).sort()).toEqual(['fulfilled', 'rejected'])
  })

  it('may be unfinished: what lacks is a finding, not an error', async () => {
    const record = await gyrarch.changes.draft('cluster.raise', {
      ...elm,
      name: '',
      release: '',
      machines: [],
    })
    expect(record.plan).toBeNull()
    expect(record.findings.map((finding) => finding.rule)).toEqual(
      expect.arrayContaining(['name.label', 'release.available', 'machines.none']),
    )
  })

  it('that does not fit its kind is refused with the fields, and nothing is kept', async () => {
    await expect(
      gyrarch.changes.draft('cluster.raise', { ...elm, ranges: { pods: 1 } }),
    ).rejects.toMatchObject({
      code: 'invalid',
      fields: expect.arrayContaining([expect.objectContaining({ path: 'intent.ranges.pods' })]),
    })
    await expect(
      gyrarch.changes.draft('cluster.raise', {
        ...fernlet,
        pools: [{ name: 'a', size: 'reed-2-8' }],
      }),
    ).rejects.toMatchObject({ fields: [{ path: 'intent.pools[0].count' }] })
    expect(await gyrarch.changes.list()).toEqual([])
  })

  it('can be discarded, once it runs no more', async () => {
    const { id } = await gyrarch.changes.draft('cluster.raise', elm)
    await gyrarch.changes.discard(id)
    expect(await gyrarch.changes.wasDiscarded(id)).toBe(true)
    expect(await gyrarch.changes.wasDiscarded('c-999')).toBe(false)
    await expect(gyrarch.changes.get(id)).rejects.toMatchObject({ code: 'not-found' })
    const run = await gyrarch.changes.draft('cluster.raise', elm)
    await gyrarch.changes.run(run.id, { accept: [] })
    await expect(gyrarch.changes.discard(run.id)).rejects.toMatchObject({ code: 'conflict' })
    await expect(gyrarch.changes.amend(run.id, elm, null)).rejects.toMatchObject({
      code: 'conflict',
    })
  })
})

describe('running', () => {
  it('is refused while a stop stands, with the finding', async () => {
    const { id } = await gyrarch.changes.draft('cluster.raise', {
      ...birch,
      controlPlane: { kind: 'own', count: 2 },
    })
    await expect(gyrarch.changes.run(id, { accept: [] })).rejects.toMatchObject({
      code: 'conflict',
      fields: [{ path: 'intent.controlPlane.count' }],
    })
  })

  it('needs every caution accepted by its key', async () => {
    const drafted = await gyrarch.changes.draft('cluster.raise', { ...birch, release: '1.32.6' })
    const caution = drafted.findings.find((finding) => finding.level === 'caution')
    expect(caution?.key).toBe('release.support|release')
    await expect(
      gyrarch.changes.run(drafted.id, { accept: ['another|key'] }),
    ).rejects.toMatchObject({ code: 'conflict', fields: [{ path: 'accept', says: caution?.key }] })
    expect((await gyrarch.changes.run(drafted.id, { accept: [caution?.key ?? ''] })).state).toBe(
      'running',
    )
  })

  it('twice at once happens once', async () => {
    const { id } = await gyrarch.changes.draft('cluster.raise', elm)
    const both = await Promise.allSettled([
      gyrarch.changes.run(id, { accept: [] }),
      gyrarch.changes.run(id, { accept: [] }),
    ])
    expect(both.map((outcome) => outcome.status)).toEqual(['fulfilled', 'rejected'])
  })

  it('keeps what it held against while it ran', async () => {
    const { id } = await gyrarch.changes.draft('cluster.raise', elm)
    await gyrarch.changes.run(id, { accept: [] })
    const view = await gyrarch.fleet.view()
    expect(view.workedOn).toEqual(['cluster/elm-12', 'machine/glasshouse-12/gh12-box'])
    const second = await gyrarch.changes.draft('cluster.raise', { ...elm, name: 'elm-13' })
    expect(
      second.findings
        .filter((finding) => finding.level === 'stop')
        .map((finding) => finding.rule)
        .sort(),
    ).toEqual(['address.free', 'machine.free', 'range.overlap', 'range.overlap'])
  })
})

describe('a change that waits', () => {
  it('can leave the queue, and is a draft again', async () => {
    const raise = await gyrarch.changes.draft('cluster.raise', elm)
    await gyrarch.changes.run(raise.id, { accept: [] })
    await gyrarch.outside.advance(20)
    const down = await gyrarch.changes.draft('cluster.takedown', { cluster: 'elm-12' })
    expect((await gyrarch.changes.run(down.id, { accept: [] })).state).toBe('waiting')
    expect((await gyrarch.changes.unqueue(down.id)).state).toBe('draft')
  })

  it('goes back to its author if its plan is another one by then', async () => {
    const raise = await gyrarch.changes.draft('cluster.raise', elm)
    await gyrarch.changes.run(raise.id, { accept: [] })
    await gyrarch.outside.advance(20)
    const down = await gyrarch.changes.draft('cluster.takedown', { cluster: 'elm-12' })
    await gyrarch.changes.run(down.id, { accept: [] })
    await runOut(gyrarch, raise.id)
    const ended = await runOut(gyrarch, down.id)
    expect(ended.state).toBe('draft')
    expect((await gyrarch.journal({ change: 2, limit: 1 }))[0]?.kind).toBe('change.returned')
  })
})

describe('the end of a halted run', () => {
  const halt = async (): Promise<string> => {
    await gyrarch.putFault({
      fault: 'machine-dies',
      about: 'site/tarn-north',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    const { id } = await gyrarch.changes.draft('cluster.raise', fernlet)
    await gyrarch.changes.run(id, { accept: [] })
    expect((await runOut(gyrarch, id)).state).toBe('halted')
    return id
  }

  it('is no longer work: its cluster shows as it is, though nobody else may touch it', async () => {
    await halt()
    const view = await gyrarch.fleet.view()
    expect(view.workedOn).toEqual([])
    const down = await gyrarch.changes.draft('cluster.takedown', { cluster: 'fernlet' })
    expect(
      (await gyrarch.changes.run(down.id, { accept: down.findings.map((finding) => finding.key) }))
        .state,
    ).toBe('waiting')
    await gyrarch.changes.unqueue(down.id)
  })

  it('by giving up leaves what was made, frees its locks, and says what no cluster owns once it is struck', async () => {
    const id = await halt()
    expect((await gyrarch.changes.giveUp(id)).state).toBe('given-up')
    const view = await gyrarch.fleet.view()
    expect(view.workedOn).toEqual([])
    expect(
      view.sites
        .find((site) => site.name === 'tarn-north')
        ?.machines.filter((machine) => machine.cluster === 'fernlet'),
    ).toHaveLength(2)
    const down = await gyrarch.changes.draft('cluster.takedown', { cluster: 'fernlet' })
    await gyrarch.changes.run(down.id, { accept: down.findings.map((finding) => finding.key) })
    expect((await runOut(gyrarch, down.id)).state).toBe('done')
  })

  it('by taking back leaves nothing', async () => {
    const before = (await gyrarch.fleet.view()).sites.find((site) => site.name === 'tarn-north')
    const id = await halt()
    await gyrarch.changes.takeBack(id)
    expect((await runOut(gyrarch, id)).state).toBe('taken-back')
    const after = (await gyrarch.fleet.view()).sites.find((site) => site.name === 'tarn-north')
    expect([after?.machines, after?.disks, after?.addresses, after?.controlPlanes]).toEqual([
      before?.machines,
      before?.disks,
      before?.addresses,
      before?.controlPlanes,
    ])
  })

  it('is refused for a takedown, which has no way back', async () => {
    const down = await gyrarch.changes.draft('cluster.takedown', { cluster: 'dill' })
    await gyrarch.changes.run(down.id, { accept: down.findings.map((finding) => finding.key) })
    await gyrarch.outside.advance(60)
    await expect(gyrarch.changes.takeBack(down.id)).rejects.toMatchObject({
      code: 'conflict',
      message: expect.stringContaining('cannot be undone'),
    })
    await expect(gyrarch.changes.retry(down.id)).rejects.toMatchObject({ code: 'conflict' })
  })
})

describe('a lock', () => {
  it.each([
    ['cluster/cedar', 'cluster/cedar', true],
    ['cluster/cedar', 'node/cedar/cedar-1', true],
    ['site/mossgate', 'machine/mossgate/m-1', true],
    ['cluster/cedar', 'node/cedar-02/cedar-02-1', false],
    ['node/cedar/cedar-1', 'cluster/cedar', false],
    ['cluster/cedar', 'cluster/alder', false],
  ])('on %s covers %s: %s', (outer, innerRef, yes) => expect(covers(outer, innerRef)).toBe(yes))
})
