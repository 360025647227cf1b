/** What is kept of cases. */
import {
  type CreationOptional,
  DataTypes,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  type Sequelize,
} from 'sequelize'
import type { KnownTrouble } from '../judging/troubles'
import { json, optionalText, text } from '../records/columns'

/** What was written into a case, by whom. */
export interface CaseNote {
  /** ISO, on the clock. */
  readonly at: string
  readonly by: string
  readonly says: string
}

export class CaseRow extends Model<InferAttributes<CaseRow>, InferCreationAttributes<CaseRow>> {
  declare number: CreationOptional<number>
  declare state: 'open' | 'closed'
  /** What makes it one case: its cause, and where that is. */
  declare key: string
  declare cluster: string
  declare cause: string | null
  declare about: string
  /** ISO times on the clock. */
  declare openedAt: string
  declare since: string
  declare closedAt: string | null
  /** What ended it, as it is told. */
  declare closedBy: string | null
  declare openedBy: string
  /** Who is on it. */
  declare who: string
  /** What it is about: everything that suffers from it, as it was seen last. */
  declare troubles: readonly KnownTrouble[]
  declare notes: readonly CaseNote[]
}

export const defineCases = (sequelize: Sequelize): void =>
  void CaseRow.init(
    {
      number: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      state: text(),
      key: text(),
      cluster: text(),
      cause: optionalText(),
      about: text(),
      openedAt: text(),
      since: text(),
      closedAt: optionalText(),
      closedBy: optionalText(),
      openedBy: text(),
      who: text(),
      troubles: json(),
      notes: json(),
    },
    { sequelize, timestamps: false, tableName: 'cases' },
  )
