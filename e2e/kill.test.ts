/** The server is killed in the middle of a run, at several moments, and goes on each time as if nothing had been. */
import { createHash } from 'node:crypto'
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, it } from 'vitest'
import { repeats } from '../server/testing/thorough'
import { api, type ApiChange, serve, type Served } from './server'

const birch = {
  name: 'birch',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3 },
  pools: [{ name: 'general', size: 'rack-4', count: 3 }],
  ranges: { pods: '10.134.0.0/18', services: '10.135.0.0/20', maxPodsPerNode: 110 },
}

/** A server whose clock tests alone move: it goes on by itself after a start. */
async function standing(dir: string): Promise<Served> {
  const served = await serve({ dir })
  await api(served.url).ask('POST', '/clock', { speed: 0 })
  return served
}

async function startedAgain(served: Served): Promise<Served> {
  await served.kill()
  return standing(served.dir)
}

interface SiteAnswer {
  readonly machines: readonly { readonly name: string }[]
  readonly disks: readonly { readonly name: string }[]
  readonly addresses: readonly { readonly address: string }[]
}

it.concurrent(
  'continues after kill -9 at seven moments and makes each machine exactly once',
  async () => {
    let served = await serve()
    try {
      let { ask, get } = api(served.url)
      await ask('POST', '/clock', { calm: false })
      await ask('POST', '/clock', { speed: 0 })
      const drafted = (
        await ask<ApiChange>('POST', '/changes', { kind: 'cluster.raise', intent: birch })
      ).json
      const started = await ask<ApiChange>('POST', `/changes/${drafted.id}/run`, {
        planDigest: drafted.planDigest,
      })
      expect(started.status).toBe(202)
      // In the register, holding addresses, cloning, booting, starting the API, at six machines at once, at the add-ons.
      const moments = [0, 4, 60, 160, 160, 160, 100]
      const done: string[][] = []
      for (const seconds of moments) {
        if (seconds > 0) await ask('POST', '/clock', { advanceSeconds: seconds })
        const before = await get<ApiChange>(`/changes/${drafted.id}`)
        expect(before.state).toBe('running')
        served = await startedAgain(served)
        ;({ ask, get } = api(served.url))
        const after = await get<ApiChange>(`/changes/${drafted.id}`)
        const doneBefore = before.steps
          .filter((step) => step.state === 'done')
          .map((step) => step.id)
        const doneAfter = after.steps.filter((step) => step.state === 'done').map((step) => step.id)
        expect(doneAfter).toEqual(expect.arrayContaining(doneBefore))
        done.push(doneAfter)
      }
      // The moments were different ones.
      expect(new Set(done.map((ids) => ids.join())).size).toBeGreaterThanOrEqual(5)
      const ended = await api(served.url).runOut(drafted.id)
      expect(ended.state).toBe('done')
      expect(ended.steps.every((step) => step.attempts === 1)).toBe(true)
      const site = await get<SiteAnswer>('/sites/mossgate')
      const made = site.machines
        .map((machine) => machine.name)
        .filter((name) => name.startsWith('birch-'))
      expect(made.sort()).toEqual([
        'birch-cp-1',
        'birch-cp-2',
        'birch-cp-3',
        'birch-general-1',
        'birch-general-2',
        'birch-general-3',
      ])
      expect(site.disks.filter((disk) => disk.name.startsWith('birch-'))).toHaveLength(6)
      expect(new Set(site.addresses.map((held) => held.address)).size).toBe(site.addresses.length)
    } finally {
      await served.remove()
    }
  },
)

it.concurrent('continues taking back after kill -9', async () => {
  let served = await serve()
  try {
    let { ask, get } = api(served.url)
    await ask('POST', '/clock', { speed: 0 })
    const before = await get<SiteAnswer>('/sites/mossgate')
    const drafted = (
      await ask<ApiChange>('POST', '/changes', { kind: 'cluster.raise', intent: birch })
    ).json
    await ask('POST', `/changes/${drafted.id}/run`, {})
    await ask('POST', '/clock', { advanceSeconds: 600 })
    expect((await ask('POST', `/changes/${drafted.id}/take-back`, {})).status).toBe(202)
    await ask('POST', '/clock', { advanceSeconds: 20 })
    served = await startedAgain(served)
    ;({ ask, get } = api(served.url))
    expect((await api(served.url).runOut(drafted.id)).state).toBe('taken-back')
    const after = await get<SiteAnswer>('/sites/mossgate')
    expect(after).toMatchObject({
      machines: before.machines,
      disks: before.disks,
      addresses: before.addresses,
    })
  } finally {
    await served.remove()
  }
})

/** Milliseconds after a drive is handed over: while it arrives, while it is read, and between one blob and the next. */
const driveMoments = [5, 40, 80, 110, 140, 170, 200, 240, 280, 320].filter(
  (_, place) => place % repeats(1, 2) === 0,
)

it.concurrent(
  `goes on with a drive that is being taken in after kill -9 at ${driveMoments.length} moments, and keeps each blob once`,
  async () => {
    let served = await serve()
    const { dir } = served
    try {
      const { ask, runOut } = api(served.url)
      await ask('POST', '/clock', { speed: 0 })
      const packing = await ask<ApiChange>('POST', '/changes', {
        kind: 'shipment.pack',
        intent: {
          shipment: 'spring',
          site: 'kilnlane',
          release: '1.32.6',
          media: [{ name: 'drive-64', count: 1 }],
        },
      })
      await ask('POST', `/changes/${packing.json.id}/run`, {})
      expect((await runOut(packing.json.id)).state).toBe('done')
      const drive = await (
        await fetch(`${served.url}/api/v1/shipments/spring/drives/1.tar`)
      ).arrayBuffer()
      const taking = await ask<ApiChange>('POST', '/changes', {
        kind: 'shipment.import',
        intent: { shipment: 'spring', site: 'kilnlane' },
      })
      await ask('POST', `/changes/${taking.json.id}/run`, {})
      const put = () =>
        fetch(`${served.url}/api/v1/shipments/import`, { method: 'POST', body: drive }).then(
          (response) => response.status,
          () => 0,
        )
      const missing = async (): Promise<number> => {
        const { drives } = await api(served.url).get<{ drives: { missing: string[] }[] }>(
          '/shipments/spring',
        )
        return drives[0]?.missing.length ?? 0
      }
      const left: number[] = [await missing()]
      for (const milliseconds of driveMoments) {
        const answer = put()
        await new Promise((done) => setTimeout(done, milliseconds))
        await served.kill()
        await answer
        served = await standing(dir)
        left.push(await missing())
      }
      // What came stays: each time there is no more left to come than before.
      expect(left).toEqual([...left].sort((a, b) => b - a))
      await put()
      expect(await missing()).toBe(0)
      const ended = await api(served.url).runOut(taking.json.id)
      expect([ended.state, ended.steps.find((step) => step.id === 'drive-1')?.attempts]).toEqual([
        'done',
        1,
      ])
      const blobs = readdirSync(join(dir, 'registries', 'registry.kilnlane.example', 'blobs'))
      expect(blobs.every((name) => /^sha256-[0-9a-f]{64}$/.test(name))).toBe(true)
      for (const name of blobs) {
        const bytes = readFileSync(
          join(dir, 'registries', 'registry.kilnlane.example', 'blobs', name),
        )
        expect(`sha256-${createHash('sha256').update(bytes).digest('hex')}`).toBe(name)
      }
      expect(readdirSync(join(dir, 'shipments', 'incoming'))).toEqual([])
    } finally {
      await served.remove()
    }
  },
)

const upgradeMoments = repeats(20, 8)

it.concurrent(
  `goes on with a fleet upgrade after kill -9 at ${upgradeMoments} moments, and does nothing twice`,
  async () => {
    let served = await serve()
    try {
      let { ask, get } = api(served.url)
      await ask('POST', '/clock', { calm: false })
      await ask('POST', '/clock', { speed: 0 })
      const before = await get<SiteAnswer>('/sites/mossgate')
      const beside = {
        how: 'in-place',
        surge: 1,
        unavailable: 0,
        budgets: 'past',
        graceSeconds: 60,
      }
      const { json: drafted } = await ask<ApiChange>('POST', '/changes', {
        kind: 'fleet.upgrade',
        intent: {
          to: '1.34.1',
          clusters: [
            { cluster: 'alder' },
            { cluster: 'cedar', wave: 2, pools: [{ pool: 'general', ...beside }] },
          ],
        },
      })
      const started = await ask<ApiChange>('POST', `/changes/${drafted.id}/run`, {
        accept: drafted.findings.map(({ key }) => key),
        confirm: ['alder', 'cedar'],
      })
      expect(started.status).toBe(202)
      const members = async (): Promise<readonly ApiChange[]> => {
        const { children } = await get<ApiChange & { children: { id: string }[] }>(
          `/changes/${drafted.id}`,
        )
        return Promise.all(children.map(({ id }) => get<ApiChange>(`/changes/${id}`)))
      }
      const doneSteps = async (): Promise<readonly string[]> =>
        (await members()).flatMap(({ id, steps }) =>
          steps.filter(({ state }) => state === 'done').map((step) => `${id} ${step.id}`),
        )
      const moments = new Set<string>()
      for (let moment = 0; moment < upgradeMoments; moment++) {
        await ask('POST', '/clock', {
          advanceSeconds: (20 / upgradeMoments) * (180 + 17 * (moment % 5)),
        })
        const doneBefore = await doneSteps()
        moments.add(doneBefore.join())
        served = await startedAgain(served)
        ;({ ask, get } = api(served.url))
        expect(await doneSteps()).toEqual(expect.arrayContaining([...doneBefore]))
      }
      expect(moments.size).toBeGreaterThanOrEqual(0.9 * upgradeMoments)
      expect((await api(served.url).runOut(drafted.id)).state).toBe('done')
      for (const { steps } of await members())
        expect(steps.every(({ attempts }) => attempts === 1)).toBe(true)
      const after = await get<SiteAnswer>('/sites/mossgate')
      const names = ({ machines }: SiteAnswer): readonly string[] =>
        machines.map(({ name }) => name).sort()
      expect(names(after)).toEqual(names(before))
      expect(after.disks).toHaveLength(before.disks.length)
      expect(new Set(after.addresses.map(({ address }) => address)).size).toBe(
        after.addresses.length,
      )
    } finally {
      await served.remove()
    }
  },
  600_000,
)
