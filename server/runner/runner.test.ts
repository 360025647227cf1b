import { describe, expect, it } from 'vitest'
import { clusterOf, clusterState, nodesOf, siteOf, stateContext } from '~/core/fleet'
import type { Gyrarch } from '../gyrarch'
import { birch, elm, fernlet, gyrarchForEach, runOut } from '../testing/open'

let gyrarch: Gyrarch
gyrarchForEach((opened) => {
  gyrarch = opened.gyrarch
})

const start = async (intent: unknown, kind = 'cluster.raise') => {
  const change = await gyrarch.changes.draft(kind, intent)
  expect(change.findings.filter((finding) => finding.level === 'stop')).toEqual([])
  return gyrarch.changes.run(change.id, {
    accept: change.findings.map((finding) => finding.key),
    planDigest: change.planDigest ?? undefined,
  })
}

describe('a run', () => {
  it('raises a single node on the box and proves it', async () => {
    const { id } = await start(elm)
    const done = await runOut(gyrarch, id)
    expect(done.state).toBe('done')
    expect(done.proof?.every((proof) => proof.holds)).toBe(true)
    const view = await gyrarch.fleet.view()
    const cluster = clusterOf(view, 'elm-12')
    expect(cluster && clusterState(cluster, stateContext(view)).state).toBe('well')
    expect(cluster && nodesOf(cluster).map((node) => node.name)).toEqual(['elm-12-a'])
  })

  it('meets “unavailable” at a new account, shows it with the attempts, and carries on by itself', async () => {
    const { id } = await start(fernlet)
    const done = await runOut(gyrarch, id)
    expect(done.state).toBe('done')
    const created = done.steps.filter((step) => step.verb === 'machine.create')
    expect(Math.max(...created.map((step) => step.attempts))).toBeGreaterThan(1)
    // What it took is told of the run that is done, too.
    expect(
      done.failures.map(({ step, attempt, cause }) => `${step} ${attempt} ${cause.reason}`).sort(),
    ).toEqual(
      created
        .flatMap((step) =>
          Array.from({ length: step.attempts - 1 }, (_, i) => `${step.id} ${i + 1} unavailable`),
        )
        .sort(),
    )
    const lines = await gyrarch.journal({ kind: 'step.retrying', limit: 20 })
    expect(lines.some((line) => line.says.includes('unavailable'))).toBe(true)
  })

  it('halts when the fault stays, and carries on from there once it is gone', async () => {
    const fault = await gyrarch.putFault({
      fault: 'machine-unavailable',
      about: 'site/tarn-north',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    const { id } = await start(fernlet)
    const halted = await runOut(gyrarch, id)
    expect(halted.state).toBe('halted')
    const failed = halted.steps.find((step) => step.state === 'failed')
    expect(failed?.attempts).toBe(8)
    expect(failed?.cause?.chain[0]?.about).toBe('site/tarn-north')
    // It was refused in both zones: neither is offered to the other.
    const zones = halted.failures.map(({ command }) => command.args['zone'])
    expect([...new Set(zones)].sort()).toEqual(['north-1', 'north-2'])
    expect(halted.remedies).toEqual([])
    await gyrarch.endFault(fault)
    await gyrarch.changes.retry(id)
    expect((await runOut(gyrarch, id)).state).toBe('done')
  })

  it('spreads three control-plane machines over three zones', async () => {
    const { id } = await start(birch)
    expect((await runOut(gyrarch, id)).state).toBe('done')
    const cluster = clusterOf(await gyrarch.fleet.view(), 'birch')
    const members = cluster
      ? nodesOf(cluster).filter((node) => node.roles.includes('control-plane'))
      : []
    expect(new Set(members.map((node) => node.zone)).size).toBe(3)
  })

  it('taken back in the middle leaves no machine, address or disk behind', async () => {
    const before = siteOf(await gyrarch.fleet.view(), 'mossgate')
    const { id } = await start(birch)
    await gyrarch.outside.advance(700)
    expect(siteOf(await gyrarch.fleet.view(), 'mossgate')?.machines.length).toBeGreaterThan(
      before?.machines.length ?? 0,
    )
    await gyrarch.changes.takeBack(id)
    expect((await runOut(gyrarch, id)).state).toBe('taken-back')
    const view = await gyrarch.fleet.view()
    const after = siteOf(view, 'mossgate')
    expect(after?.machines).toEqual(before?.machines)
    expect(after?.addresses).toEqual(before?.addresses)
    expect(after?.disks).toEqual(before?.disks)
    expect(clusterOf(view, 'birch')).toBeUndefined()
    expect(view.reservations).toEqual([])
    expect(view.workedOn).toEqual([])
  })

  it('offers an amendment that gets past a missing image, and carries on with it', async () => {
    const change = await gyrarch.changes.draft('cluster.raise', birch)
    await gyrarch.changes.run(change.id, { accept: [] })
    await gyrarch.putFault({
      fault: 'image-missing',
      about: 'image/mossgate/1.33.2',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    const halted = await runOut(gyrarch, change.id)
    expect(halted.state).toBe('halted')
    expect(halted.cause?.reason).toBe('image-missing')
    const remedy = halted.remedies[0]
    expect(remedy).toMatchObject({ says: 'Use 1.33.1', goesOn: true })
    const amended = await gyrarch.changes.amend(change.id, { ...birch, release: '1.33.1' }, null)
    expect(amended.state).toBe('halted')
    await gyrarch.changes.retry(change.id)
    expect((await runOut(gyrarch, change.id)).state).toBe('done')
  })

  it('says when an amendment would undo what is done, and refuses it in place', async () => {
    const { id } = await start(fernlet)
    await gyrarch.outside.advance(200)
    await gyrarch.putFault({
      fault: 'image-missing',
      about: 'image/tarn-north/1.33.2',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    const halted = await runOut(gyrarch, id)
    expect(halted.cause?.reason).toBe('image-missing')
    expect(halted.remedies[0]).toMatchObject({ says: 'Use 1.33.1', goesOn: false })
    await expect(
      gyrarch.changes.amend(id, { ...fernlet, release: '1.33.1' }, null),
    ).rejects.toMatchObject({ code: 'conflict' })
  })

  it('reserves what it will take, so that two drafts that each fit cannot overbook together', async () => {
    const pools = (name: string, pods: string, services: string) => ({
      ...fernlet,
      name,
      pools: [{ name: 'general', size: 'reed-4-16', count: 3 }],
      ranges: { pods, services },
    })
    const change = await gyrarch.changes.draft(
      'cluster.raise',
      pools('rush', '10.132.0.0/18', '10.133.0.0/20'),
    )
    const secondChange = await gyrarch.changes.draft(
      'cluster.raise',
      pools('sedge', '10.134.0.0/18', '10.135.0.0/20'),
    )
    expect([change.plan === null, secondChange.plan === null]).toEqual([false, false])
    await gyrarch.changes.run(change.id, { accept: [], planDigest: change.planDigest ?? undefined })
    await expect(
      gyrarch.changes.run(secondChange.id, {
        accept: [],
        planDigest: secondChange.planDigest ?? undefined,
      }),
    ).rejects.toMatchObject({ code: 'conflict', message: expect.stringContaining('12 reserved') })
  })

  it('runs what was read: a plan that has changed since is a conflict that shows the new one', async () => {
    const read = await gyrarch.changes.draft('cluster.raise', { ...birch, networks: {} })
    const change = await gyrarch.changes.draft('cluster.raise', {
      ...birch,
      name: 'rowan',
      ranges: { pods: '10.136.0.0/18', services: '10.137.0.0/20' },
    })
    await gyrarch.changes.run(change.id, { accept: [] })
    await expect(
      gyrarch.changes.run(read.id, { accept: [], planDigest: read.planDigest ?? undefined }),
    ).rejects.toMatchObject({
      code: 'conflict',
      more: { planDigest: expect.not.stringMatching(read.planDigest ?? 'none') },
    })
  })

  it('makes a second change on the same subject wait, and starts it when the first has ended', async () => {
    const first = await start(elm)
    await gyrarch.outside.advance(30)
    const takedown = await gyrarch.changes.draft('cluster.takedown', { cluster: 'elm-12' })
    const waiting = await gyrarch.changes.run(takedown.id, {
      accept: takedown.findings.map((finding) => finding.key),
    })
    expect(waiting.state).toBe('waiting')
    expect(waiting.waitsFor).toBe(first.id)
    await runOut(gyrarch, first.id)
  })

  it('takes a cluster down and names whatever no cluster owns', async () => {
    const { id } = await start(elm)
    await runOut(gyrarch, id)
    const down = await start({ cluster: 'elm-12' }, 'cluster.takedown')
    const done = await runOut(gyrarch, down.id)
    expect(done.state).toBe('done')
    expect(done.proof?.map((proof) => proof.holds)).toEqual([true, true])
    const site = siteOf(await gyrarch.fleet.view(), 'glasshouse-12')
    expect(site?.boxes[0]?.usedBy).toBeNull()
    expect(site?.boxes[0]?.disks.map((disk) => disk.holds === null)).toEqual([true, false, true])
  })

  it('puts an image in place, which clears the stop of a draft that waited for it; taken back, it is gone', async () => {
    const change = await gyrarch.changes.draft('cluster.raise', { ...birch, release: '1.33.0' })
    expect(change.plan).toBeNull()
    const place = await start({ site: 'mossgate', release: '1.33.0' }, 'image.place')
    await gyrarch.outside.advance(30)
    await gyrarch.changes.takeBack(place.id)
    expect((await runOut(gyrarch, place.id)).state).toBe('taken-back')
    expect((await gyrarch.changes.get(change.id)).plan).toBeNull()
    const again = await start({ site: 'mossgate', release: '1.33.0' }, 'image.place')
    expect((await runOut(gyrarch, again.id)).state).toBe('done')
    expect((await gyrarch.changes.get(change.id)).plan).not.toBeNull()
  })

  it('asks for the name of a guarded cluster', async () => {
    const change = await gyrarch.changes.draft('cluster.takedown', { cluster: 'cedar' })
    const accept = change.findings.map((finding) => finding.key)
    await expect(gyrarch.changes.run(change.id, { accept })).rejects.toMatchObject({
      code: 'forbidden',
    })
    expect((await gyrarch.changes.run(change.id, { accept, confirm: 'cedar' })).state).toBe(
      'running',
    )
  })
})
