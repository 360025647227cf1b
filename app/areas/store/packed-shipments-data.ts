/** Shipments that were packed, with what of each drive is at the far side, as pages show them. */
import { changeId } from '~/server/runner/journal'
import type { Gyrarch } from '~/server/gyrarch'
import { ChangeRow } from '~/server/records/models'
import { missingIn } from '~/server/shipments/entering'
import { ShipmentRow } from '~/server/records/storage-rows'

export interface PackedDriveShown {
  readonly drive: number
  readonly medium: string
  readonly bytes: number
  readonly blobs: number
  readonly missing: number
  readonly isWritten: boolean
  readonly isAwaited: boolean
}

export interface PackedShown {
  readonly name: string
  readonly site: string
  readonly release: string | null
  readonly packedAt: string
  readonly images: number
  readonly drives: readonly PackedDriveShown[]
  /** A run that takes it in now, or sends it. */
  readonly takenBy: string | null
  /** Whether the site holds every image of it. */
  readonly isThere: boolean
}

export async function packedShipments(
  gyrarch: Gyrarch,
  site: string,
): Promise<readonly PackedShown[]> {
  const rows = await ShipmentRow.findAll({ where: { site }, order: [['packedAt', 'DESC']] })
  const runs =
    rows.length === 0
      ? []
      : await ChangeRow.findAll({
          where: {
            kind: ['shipment.import', 'shipment.send'],
            state: ['running', 'halted', 'undoing', 'waiting'],
          },
        })
  const registry = gyrarch.registries.at(site)
  return Promise.all(
    rows.map(async (row): Promise<PackedShown> => {
      const states = await gyrarch.shipments.states(row)
      const run = runs.find(
        ({ intent }) => (intent as { shipment?: unknown }).shipment === row.name,
      )
      const lacking = registry
        ? await missingIn(
            registry,
            row.images.map(({ digest }) => digest),
          )
        : row.images
      return {
        name: row.name,
        site: row.site,
        release: row.release,
        packedAt: row.packedAt,
        images: row.images.length,
        drives: states.map(({ drive, medium, bytes, blobs, missing, file, isAwaited }) => ({
          drive,
          medium,
          bytes,
          blobs,
          missing: missing.length,
          isWritten: file !== null,
          isAwaited,
        })),
        takenBy: run ? changeId(run.number) : null,
        isThere: lacking.length === 0 && states.every(({ missing }) => missing.length === 0),
      }
    }),
  )
}
