/**
 * Drives that are put in at the far side, in any order. What is put in is spooled first, so that a stop in the middle is gone
 * on from; each blob is verified and kept once, under its digest, before anything names it.
 */
import { randomUUID } from 'node:crypto'
import { mkdir, readdir, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { Readable } from 'node:stream'
import { driveRef } from '~/core/contract'
import type { Published } from '~/core/releases'
import { Refusal } from '../changes/errors'
import type { Registries } from '../registries/registries'
import type { Registry } from '../registries/registry'
import { ShipmentRow } from '../records/storage-rows'
import { changeId } from '../runner/journal'
import { catalogueOf, enterBeside, nameBlobs } from './beside'
import { missingIn } from './entering'
import { driveAnnotations } from './layout'
import { eachBlob, LayoutMistake, readLayout, type ReadLayout } from './read-layout'
import { said } from './says'
import { spool } from './spool'

/** Most bytes of an archive that is put in. */
export const mostArchiveBytes = 4 * 1024 ** 3

export interface Taken {
  readonly shipment: string
  readonly drive: number
  readonly taken: number
  readonly already: number
  readonly damaged: readonly string[]
  readonly missing: readonly string[]
  readonly isWhole: boolean
  /** The change that waited for it. */
  readonly change: string
}

/** How a run is told what became of a drive. */
export interface Awaiting {
  called(
    change: number,
    call: string,
    outcome: {
      readonly result: Readonly<Record<string, unknown>>
      readonly failure: null
      readonly told: ReturnType<typeof said>
    },
  ): Promise<boolean>
  noteCall(change: number, call: string, told: ReturnType<typeof said>): Promise<void>
}

export interface IntakeParts {
  readonly dir: string
  readonly registries: Registries
  readonly published: () => Promise<Published>
  readonly awaiting: Awaiting
  readonly find: (shipment: string) => Promise<ShipmentRow>
  readonly onError: (error: unknown) => void
}

export class Intake {
  /** Runs that wait for drives. */
  private readonly awaited = new Map<string, number>()
  /** Archives are taken one after the other. */
  private lane: Promise<unknown> = Promise.resolve()

  constructor(private readonly parts: IntakeParts) {}

  /** From now on a run waits for a drive; tells whether all of it is there already, and null where there is none. */
  async expect(shipment: string, drive: number, change: number) {
    const row = await ShipmentRow.findByPk(shipment)
    const content = row?.drives[drive - 1]
    const registry = row && this.parts.registries.at(row.site)
    if (!content || !registry) return null
    if ((await missingIn(registry, content.blobs)).length === 0)
      return { isThere: true, blobs: content.blobs.length }
    this.awaited.set(driveRef(shipment, drive), change)
    return { isThere: false, blobs: content.blobs.length }
  }

  forget(shipment: string, drive: number): void {
    this.awaited.delete(driveRef(shipment, drive))
  }

  isAwaited(shipment: string, drive: number): boolean {
    return this.awaited.has(driveRef(shipment, drive))
  }

  private get incoming(): string {
    return join(this.parts.dir, 'incoming')
  }

  /** Resolves once what is being taken in is done. */
  async atRest(): Promise<void> {
    await this.lane
  }

  /** Goes on with what had been put in when the program last ended. */
  async resume(): Promise<void> {
    const files = await readdir(this.incoming).catch(() => [])
    for (const name of files.sort()) {
      const file = join(this.incoming, name)
      if (!name.endsWith('.tar')) await rm(file, { force: true })
      else
        await this.inLane(() => this.takeFile(file)).catch((error: unknown) => {
          if (!(error instanceof Refusal)) this.parts.onError(error)
        })
    }
  }

  /** Puts a drive in: its archive is spooled, read, verified, and its blobs are kept. */
  async put(body: Readable): Promise<Taken> {
    await mkdir(this.incoming, { recursive: true })
    const partial = join(this.incoming, `${randomUUID()}.part`)
    await spool(body, partial, mostArchiveBytes)
    const file = partial.replace(/\.part$/, '.tar')
    await rename(partial, file)
    return this.inLane(() => this.takeFile(file))
  }

  private inLane<T>(work: () => Promise<T>): Promise<T> {
    const turn = this.lane.then(work)
    this.lane = turn.catch(() => undefined)
    return turn
  }

  private async takeFile(file: string): Promise<Taken> {
    try {
      const layout = await readLayout(file).catch((error: unknown) => {
        if (!(error instanceof LayoutMistake)) throw error
        throw new Refusal('invalid', error.message, [{ path: error.path, says: error.message }])
      })
      const { row, drive, blobs, change } = await this.awaitedBy(layout)
      const registry = this.parts.registries.at(row.site)
      if (!registry) throw new Refusal('conflict', `No registry stands at ${row.site}.`)
      return await this.takeBlobs({ file, layout, row, drive, blobs, change, registry })
    } finally {
      await rm(file, { force: true })
    }
  }

  /** Which drive an archive says it is, and who waits for it. */
  private async awaitedBy({ index }: ReadLayout) {
    const name = index.annotations?.[driveAnnotations.shipment]
    const drive = Number(index.annotations?.[driveAnnotations.drive])
    if (name === undefined || !Number.isInteger(drive))
      throw new Refusal(
        'invalid',
        'This layout is no drive of a shipment: its index says neither which shipment nor which drive it is.',
        [
          {
            path: 'index.json annotations',
            says: 'Put in a drive that was packed by shipment.pack.',
          },
        ],
      )
    const row = await this.parts.find(name)
    const content = row.drives[drive - 1]
    if (!content)
      throw new Refusal('invalid', `${name} has no drive ${drive}; it has ${row.drives.length}.`)
    const change = this.awaited.get(driveRef(name, drive))
    if (change === undefined) {
      const registry = this.parts.registries.at(row.site)
      const isThere = registry && (await missingIn(registry, content.blobs)).length === 0
      throw new Refusal(
        'conflict',
        isThere === true
          ? `Drive ${drive} of ${name} was taken in already: all of its blobs are at ${row.site}.`
          : `Nobody waits for drive ${drive} of ${name}. Run a change shipment.import for it first.`,
      )
    }
    return { row, drive, blobs: content.blobs, change }
  }

  private async takeBlobs(of: {
    readonly file: string
    readonly layout: ReadLayout
    readonly row: ShipmentRow
    readonly drive: number
    readonly blobs: readonly string[]
    readonly change: number
    readonly registry: Registry
  }): Promise<Taken> {
    const { file, layout, row, drive, blobs, change, registry } = of
    const expected = new Set(blobs)
    const damaged = layout.blobs
      .filter(({ digest, isWhole }) => expected.has(digest) && !isWhole)
      .map(({ digest }) => digest)
    const lacking = new Set(await missingIn(registry, blobs))
    const manifests = new Set(layout.index.manifests.map(({ digest }) => digest))
    // Signatures and the catalogue are small and belong to no drive: they are taken from each.
    const beside = layout.blobs.filter(({ digest, isWhole }) => isWhole && !expected.has(digest))
    const wanted = new Set([
      ...layout.blobs
        .filter(({ digest, isWhole }) => isWhole && lacking.has(digest))
        .map(({ digest }) => digest),
      ...beside.map(({ digest }) => digest),
    ])
    const bodies = new Map<string, Buffer>()
    let taken = 0
    await eachBlob(file, wanted, async (digest, bytes) => {
      if (manifests.has(digest) && !expected.has(digest)) bodies.set(digest, bytes)
      if (!(await registry.keeps(digest))) await registry.keep(digest, bytes)
      if (expected.has(digest)) taken += 1
    })
    await nameBlobs(row.images, await this.parts.published(), registry, [...wanted])
    await enterBeside(row.images, registry, catalogueOf(layout.index.manifests), bodies)
    const missing = await missingIn(registry, blobs)
    const already = blobs.length - lacking.size
    const call = driveRef(row.name, drive)
    if (missing.length === 0) {
      this.awaited.delete(call)
      await this.parts.awaiting.called(change, call, {
        result: { taken: blobs.length },
        failure: null,
        told: said('drive.taken', { drive, taken, already }),
      })
    } else
      await this.parts.awaiting.noteCall(
        change,
        call,
        damaged.length > 0
          ? said('drive.damaged', { drive, blobs: damaged })
          : said('drive.cut-off', { drive, missing: missing.length }),
      )
    return {
      shipment: row.name,
      drive,
      taken,
      already,
      damaged,
      missing: missing.filter((digest) => !damaged.includes(digest)),
      isWhole: missing.length === 0,
      change: changeId(change),
    }
  }
}
