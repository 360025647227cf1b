/** What is kept of drills that were begun. */
import {
  type CreationOptional,
  DataTypes,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  type Sequelize,
} from 'sequelize'
import { json, optionalText, optionalWhole, text, whole } from '../records/columns'

export class DrillRow extends Model<InferAttributes<DrillRow>, InferCreationAttributes<DrillRow>> {
  declare number: CreationOptional<number>
  declare name: string
  declare state: 'on' | 'mended' | 'given-up'
  /** ISO, on the clock. */
  declare startedAt: string
  declare endedAt: string | null
  declare faults: readonly string[]
  /** The change that was begun with it, as `c-12`; null where none was. */
  declare run: CreationOptional<string | null>
  declare hints: number
  /** Causes that were named, in order. */
  declare named: readonly {
    readonly cause: string
    readonly at: string
    readonly isRight: boolean
  }[]
  declare score: number | null
}

export const defineDrills = (sequelize: Sequelize): void =>
  void DrillRow.init(
    {
      number: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      name: text(),
      state: text(),
      startedAt: text(),
      endedAt: optionalText(),
      faults: json(),
      run: optionalText(),
      hints: whole(),
      named: json(),
      score: optionalWhole(),
    },
    { sequelize, timestamps: false, tableName: 'drills' },
  )
