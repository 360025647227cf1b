/** What is recorded of storage: schedules of snapshots, and shipments. */
import { type InferAttributes, type InferCreationAttributes, Model } from 'sequelize'

/** Snapshots of a volume that are taken by themselves. */
export class SnapshotScheduleRow extends Model<
  InferAttributes<SnapshotScheduleRow>,
  InferCreationAttributes<SnapshotScheduleRow>
> {
  declare cluster: string
  declare volume: string
  declare start: string
  declare zone: string
  declare rule: string
  declare keep: number
  /** The time up to which it has been seen to. */
  declare doneAt: string
}

/** A shipment that was packed: what lies on which drive. */
export class ShipmentRow extends Model<
  InferAttributes<ShipmentRow>,
  InferCreationAttributes<ShipmentRow>
> {
  declare name: string
  declare site: string
  declare release: string | null
  declare packedAt: string
  declare images: { name: string; digest: string }[]
  declare drives: { medium: string; bytes: number; blobs: string[] }[]
}
