/** What the register keeps of storage: shipments that were packed, and when snapshots are taken by themselves. */
import type { ArgsOf } from '~/core/contract'
import type { Database } from '../../records/database'
import { ShipmentRow, SnapshotScheduleRow } from '../../records/storage-rows'
import type { Done, Place } from './done'
import { said } from './says'

/** A schedule speaks from now on: what it would have done before it was there is not made up for. */
export async function setSnapshots(
  database: Database,
  { cluster, volume, schedule }: ArgsOf<'snapshots.set'>,
  { now }: Place,
): Promise<Done> {
  await database.write(async (transaction) => {
    if (schedule === null)
      await SnapshotScheduleRow.destroy({ where: { cluster, volume }, transaction })
    else
      await SnapshotScheduleRow.upsert(
        { cluster, volume, ...schedule, doneAt: new Date(now).toISOString() },
        { transaction },
      )
  })
  return {
    result: {},
    ...(schedule === null
      ? said('snapshots.never', { volume })
      : said('snapshots.scheduled', { volume, keep: schedule.keep })),
  }
}

export async function enterShipment(
  database: Database,
  args: ArgsOf<'shipment.enter'>,
  { now }: Place,
): Promise<Done> {
  const { shipment, site, release } = args
  await database.write((transaction) =>
    ShipmentRow.upsert(
      {
        name: shipment,
        site,
        release,
        packedAt: new Date(now).toISOString(),
        images: args.images.map((image) => ({ ...image })),
        drives: args.drives.map((drive) => ({ ...drive, blobs: [...drive.blobs] })),
      },
      { transaction },
    ),
  )
  return {
    result: { drives: args.drives.length },
    ...said('shipment.entered', { shipment, drives: args.drives.length }),
  }
}

export async function strikeShipment(
  database: Database,
  { shipment }: ArgsOf<'shipment.strike'>,
): Promise<Done> {
  await database.write((transaction) =>
    ShipmentRow.destroy({ where: { name: shipment }, transaction }),
  )
  return { result: {}, ...said('shipment.struck', { shipment }) }
}
