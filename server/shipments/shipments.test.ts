/** Story 9 without pages: sorrel’s next releases are packed, carried in any order, verified, entered, and pulled. */
import { Readable } from 'node:stream'
import { expect, it } from 'vitest'
import { Refusal } from '../changes/errors'
import { draftAndRun, gyrarchForEach, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const choice = {
  shipment: 'sorrel-to-1.33',
  site: 'kilnlane',
  release: '1.33.2',
  channel: 'steady',
  media: [
    { name: 'drive-64', count: 3 },
    { name: 'drive-512', count: 0 },
  ],
}

async function packed() {
  const { gyrarch } = opened
  const change = await draftAndRun(gyrarch, 'shipment.pack', choice, 4)
  expect(change.cause).toBe(null)
  expect(change.state).toBe('done')
  return change
}

async function importing() {
  const { gyrarch } = opened
  const { id, plan, findings } = await gyrarch.changes.draft('shipment.import', {
    shipment: choice.shipment,
    site: 'kilnlane',
  })
  expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  await gyrarch.changes.run(id, { accept: findings.map(({ key }) => key), confirm: undefined })
  return { id, plan }
}

const put = (bytes: Buffer) => opened.gyrarch.shipments.intake.put(Readable.from([bytes]))

it('packs, is put in, enters what came, and has every node pull it from the registry inside', async () => {
  const { gyrarch } = opened
  const change = await packed()
  expect(change.proof?.every((proof) => proof.holds)).toBe(true)
  const row = await gyrarch.shipments.find(choice.shipment)
  const states = await gyrarch.shipments.states(row)
  expect(states.every(({ file, missing }) => file !== null && missing.length > 0)).toBe(true)
  const { id } = await importing()
  for (const { drive } of [...states].reverse())
    expect(await put(await gyrarch.shipments.archive(choice.shipment, drive, []))).toMatchObject({
      drive,
      damaged: [],
      missing: [],
      isWhole: true,
      change: id,
    })
  const ended = await runOut(gyrarch, id)
  expect([ended.state, ended.cause]).toEqual(['done', null])
  expect(ended.proof?.map(({ holds }) => holds)).toEqual([true, true])
  const view = await gyrarch.fleet.view()
  const kilnlane = view.sites.find(({ name }) => name === 'kilnlane')
  expect(kilnlane?.registry?.images['registry.kilnlane.example/platform/api-server']).toContain(
    '1.33.2',
  )
  expect(kilnlane?.images.map(({ release }) => release)).toContain('1.33.2')
  expect(view.clusters.find(({ name }) => name === 'sorrel')?.redirects).toEqual([
    { from: 'images.example', to: 'registry.kilnlane.example/outside' },
    { from: 'registry.fernhollow.example', to: 'registry.kilnlane.example' },
  ])
  // Now there is nothing left to carry.
  const again = await gyrarch.changes.draft('shipment.pack', { ...choice, shipment: 'again' })
  expect(again.findings.map(({ rule }) => rule)).toContain('shipment.empty')
})

it('is enough for the cluster inside to go to the release that was carried in', async () => {
  const { gyrarch } = opened
  const intent = { cluster: 'sorrel', to: '1.33.2' }
  const before = await gyrarch.changes.draft('cluster.upgrade', intent)
  const stops = before.findings.filter(({ level }) => level === 'stop').map(({ rule }) => rule)
  expect(stops).toEqual([
    'release.carried.1.32.6',
    'release.carried.1.33.2',
    'image.present.1.33.2',
  ])
  await packed()
  const { id } = await importing()
  const row = await gyrarch.shipments.find(choice.shipment)
  for (const index of row.drives.keys())
    await put(await gyrarch.shipments.archive(choice.shipment, index + 1, []))
  expect((await runOut(gyrarch, id)).state).toBe('done')
  const done = await draftAndRun(gyrarch, 'cluster.upgrade', intent, 12)
  expect([done.state, done.cause?.says]).toEqual(['done', undefined])
  expect(done.proof?.filter(({ holds }) => !holds)).toEqual([])
})

it('names a damaged blob, keeps the rest, and takes that blob alone the second time', async () => {
  const { gyrarch } = opened
  await packed()
  const { id } = await importing()
  const whole = await gyrarch.shipments.archive(choice.shipment, 1, [])
  const row = await gyrarch.shipments.find(choice.shipment)
  // A layer’s bytes, somewhere in the middle of the archive.
  const at = whole.indexOf(Buffer.from('blobs/sha256/'), Math.floor(whole.length / 2))
  const harmed = Buffer.from(whole)
  harmed[at + 512 + 3] = (harmed[at + 512 + 3] ?? 0) ^ 0xff
  const first = await put(harmed)
  expect(first.damaged).toHaveLength(1)
  expect([first.isWhole, first.missing]).toEqual([false, []])
  const running = await gyrarch.changes.get(id)
  const step = running.steps.find((candidate) => candidate.id === 'drive-1')
  expect(step?.evidence.at(-1)?.says).toContain(first.damaged[0]?.slice(0, 19))
  const alone = await gyrarch.shipments.archive(row.name, 1, first.damaged)
  expect(alone.length).toBeLessThan(whole.length / 4)
  expect(await put(alone)).toMatchObject({ taken: 1, damaged: [], missing: [], isWhole: true })
})

it('keeps what came of an archive that is cut off, and what is no layout leaves nothing', async () => {
  const { gyrarch } = opened
  await packed()
  const whole = await gyrarch.shipments.archive(choice.shipment, 1, [])
  await expect(put(whole)).rejects.toThrow('Nobody waits')
  await importing()
  const half = await put(whole.subarray(0, Math.floor(whole.length / 2) + 100))
  expect(half.isWhole).toBe(false)
  expect(half.taken).toBeGreaterThan(10)
  for (const bytes of [Buffer.from('not a tar at all'), Buffer.alloc(2048), whole.subarray(0, 700)])
    await expect(put(bytes)).rejects.toThrow(Refusal)
  const rest = await put(whole)
  expect(rest).toMatchObject({ isWhole: true, already: half.taken })
  expect(rest.taken + rest.already).toBe(
    (await gyrarch.shipments.find(choice.shipment)).drives[0]?.blobs.length,
  )
  await expect(put(whole)).rejects.toThrow('taken in already')
})
