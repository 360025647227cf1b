/** Who is told of cases and runs, and what was sent to whom. */
import {
  type CreationOptional,
  DataTypes,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  type Sequelize,
} from 'sequelize'
import { json, optionalText, optionalWhole, text, whole } from '../../records/columns'

export class ReceiverRow extends Model<
  InferAttributes<ReceiverRow>,
  InferCreationAttributes<ReceiverRow>
> {
  declare name: string
  declare url: string
  /** Kinds of journal lines that it is told of. */
  declare kinds: readonly string[]
  /** The secret that bodies are signed with, sealed. */
  declare sealed: string
}

export class DeliveryRow extends Model<
  InferAttributes<DeliveryRow>,
  InferCreationAttributes<DeliveryRow>
> {
  declare id: CreationOptional<number>
  declare receiver: string
  declare kind: string
  declare body: string
  declare state: 'waiting' | 'delivered' | 'given-up'
  declare attempts: number
  /** ISO wall times. */
  declare madeAt: string
  declare dueAt: string | null
  declare endedAt: string | null
  /** The HTTP status of the last answer; null where none came. */
  declare status: number | null
  /** What came of the last attempt. */
  declare says: string | null
}

export function defineOutgoing(sequelize: Sequelize): void {
  ReceiverRow.init(
    {
      name: { ...text(), primaryKey: true },
      url: text(),
      kinds: json(),
      sealed: { type: DataTypes.TEXT, allowNull: false },
    },
    { sequelize, timestamps: false, tableName: 'receivers' },
  )
  DeliveryRow.init(
    {
      id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      receiver: text(),
      kind: text(),
      body: { type: DataTypes.TEXT, allowNull: false },
      state: text(),
      attempts: whole(),
      madeAt: text(),
      dueAt: optionalText(),
      endedAt: optionalText(),
      status: optionalWhole(),
      says: optionalText(),
    },
    { sequelize, timestamps: false, tableName: 'deliveries' },
  )
}
