/** Shipments as they are packed: what lies on which drive, each drive a file that can be fetched, whole or in part. */
import { randomUUID } from 'node:crypto'
import { mkdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Published } from '~/core/releases'
import { Refusal } from '../changes/errors'
import type { Registries } from '../registries/registries'
import { digestOfBytes, type Registry } from '../registries/registry'
import { ShipmentRow } from '../records/storage-rows'
import { enterImages, missingIn, withdrawImages } from './entering'
import { type Awaiting, Intake } from './intake'
import { sendBlobs } from './sending'
import { driveTar, type PackedDrive } from './packed'

export interface DriveState {
  readonly drive: number
  readonly medium: string
  /** In the sizes of the catalogue. */
  readonly bytes: number
  readonly blobs: number
  /** The file as it was written; null where it is not. */
  readonly file: { readonly bytes: number; readonly digest: string } | null
  /** Blobs that the far side does not have. */
  readonly missing: readonly string[]
  /** Whether a run waits for it to be put in. */
  readonly isAwaited: boolean
}

export interface ShipmentParts {
  readonly dir: string
  readonly registries: Registries
  readonly published: () => Promise<Published>
  readonly awaiting: Awaiting
  readonly onError: (error: unknown) => void
}

const fileName = (drive: number): string => `drive-${drive}.tar`

export class Shipments {
  readonly intake: Intake

  constructor(private readonly parts: ShipmentParts) {
    this.intake = new Intake({ ...parts, find: (name) => this.find(name) })
  }

  get registries(): Registries {
    return this.parts.registries
  }

  enter(shipment: string, site: string) {
    return enterImages(this.parts, shipment, site)
  }

  withdraw(shipment: string, site: string) {
    return withdrawImages(this.parts, shipment, site)
  }

  /** Sends blobs straight to the registry of a site. */
  async send({
    shipment,
    site,
    blobs,
  }: {
    shipment: string
    site: string
    blobs: readonly string[]
  }) {
    const { registries, published } = this.parts
    return sendBlobs(shipment, blobs, await published(), this.sourceFor(site), registries.at(site))
  }

  private folder(shipment: string): string {
    return join(this.parts.dir, 'packed', shipment)
  }

  async find(name: string): Promise<ShipmentRow> {
    const row = await ShipmentRow.findByPk(name)
    if (row) return row
    const all = await ShipmentRow.findAll({ attributes: ['name'], order: [['packedAt', 'DESC']] })
    throw new Refusal(
      'not-found',
      `There is no shipment ${name.slice(0, 80)}. ${all.length === 0 ? 'None is packed yet: POST /changes with kind shipment.pack.' : `There are ${all.map((shipment) => shipment.name).join(', ')}.`}`,
    )
  }

  private packedDrive(row: ShipmentRow, drive: number): PackedDrive | null {
    const content = row.drives[drive - 1]
    return content
      ? {
          shipment: row.name,
          drive,
          drives: row.drives.length,
          medium: content.medium,
          blobs: content.blobs,
        }
      : null
  }

  /** The registry that is not the one of a shipment’s site: from there its blobs come. */
  private sourceFor(site: string): Registry | undefined {
    const entry = this.parts.registries.list().find((candidate) => candidate.site !== site)
    return entry && this.parts.registries.named(entry.name)
  }

  /** Writes a drive’s file, or finds it written. Null where there is no such drive. */
  async write(shipment: string, drive: number) {
    const row = await ShipmentRow.findByPk(shipment)
    const content = row && this.packedDrive(row, drive)
    const source = row && this.sourceFor(row.site)
    if (!content || !source) return null
    const folder = this.folder(shipment)
    const file = join(folder, fileName(drive))
    await mkdir(folder, { recursive: true })
    const bytes = await driveTar(content, await this.parts.published(), source)
    const partial = `${file}.${randomUUID()}`
    await writeFile(partial, bytes, { flush: true })
    const digest = digestOfBytes(bytes)
    await writeFile(`${file}.digest`, digest, { flush: true })
    await rename(partial, file)
    return { bytes: bytes.length, digest, blobs: content.blobs.length }
  }

  async erase(shipment: string, drive: number): Promise<void> {
    const file = join(this.folder(shipment), fileName(drive))
    await rm(file, { force: true })
    await rm(`${file}.digest`, { force: true })
  }

  /** The archive of a drive as it was written; with `only`, an archive of some of its blobs. */
  async archive(shipment: string, drive: number, only: readonly string[]): Promise<Buffer> {
    const row = await this.find(shipment)
    const content = this.packedDrive(row, drive)
    if (!content)
      throw new Refusal(
        'not-found',
        `${row.name} has no drive ${drive}. It has ${row.drives.length}, counted from 1.`,
      )
    const file = join(this.folder(shipment), fileName(drive))
    if (only.length === 0) {
      const bytes = await readFile(file).catch(() => null)
      if (bytes) return bytes
      throw new Refusal('conflict', `Drive ${drive} of ${row.name} is not written yet.`)
    }
    const unknown = only.find((digest) => !content.blobs.includes(digest))
    if (unknown !== undefined)
      throw new Refusal('invalid', `Drive ${drive} holds no blob ${unknown.slice(0, 80)}.`, [
        { path: 'blobs', says: 'Name blobs that lie on this drive.' },
      ])
    const source = this.sourceFor(row.site)
    if (!source) throw new Refusal('conflict', 'There is no registry to take blobs from.')
    return driveTar(content, await this.parts.published(), source, new Set(only))
  }

  async states(row: ShipmentRow): Promise<readonly DriveState[]> {
    const registry = this.parts.registries.at(row.site)
    return Promise.all(
      row.drives.map(async ({ medium, bytes, blobs }, index): Promise<DriveState> => {
        const drive = index + 1
        const file = join(this.folder(row.name), fileName(drive))
        const size = await stat(file).then(
          ({ size: bytesWritten }) => bytesWritten,
          () => null,
        )
        return {
          drive,
          medium,
          bytes,
          blobs: blobs.length,
          file:
            size === null
              ? null
              : {
                  bytes: size,
                  digest: await readFile(`${file}.digest`, 'utf8').catch(() => ''),
                },
          missing: registry ? await missingIn(registry, blobs) : [...blobs],
          isAwaited: this.intake.isAwaited(row.name, drive),
        }
      }),
    )
  }
}
