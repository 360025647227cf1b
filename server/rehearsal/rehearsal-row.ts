/** What is kept of rehearsals: the last of each change. */
import {
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  type Sequelize,
} from 'sequelize'
import type { Rehearsal } from '~/core/rehearsal'
import { json, whole } from '../records/columns'

export class RehearsalRow extends Model<
  InferAttributes<RehearsalRow>,
  InferCreationAttributes<RehearsalRow>
> {
  declare change: number
  declare body: Rehearsal
}

export const defineRehearsals = (sequelize: Sequelize): void =>
  void RehearsalRow.init(
    { change: { ...whole(), primaryKey: true }, body: json() },
    { sequelize, timestamps: false, tableName: 'rehearsals' },
  )
