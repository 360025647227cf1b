/** What is kept of the ways to clusters that were enrolled, and of the commands that went over them. */
import {
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  type Sequelize,
} from 'sequelize'
import type { ClusterReport, Ended, ReachKind } from '~/core/contract'
import { optionalJson, optionalText, text, whole } from '../../records/columns'

export class ReachRow extends Model<InferAttributes<ReachRow>, InferCreationAttributes<ReachRow>> {
  declare cluster: string
  declare kind: ReachKind
  /** `opening` until its first lists are here. */
  declare state: 'opening' | 'open'
  /** Of an inbound one, its secrets sealed. */
  declare accessFile: CreationOptional<string | null>
  /** The one-time token of an agent, sealed; null once it is used. */
  declare token: CreationOptional<string | null>
  /** SHA-256 of what its agent dials with: the token, and the credential it was traded for. */
  declare tokenHash: CreationOptional<string | null>
  declare credentialHash: CreationOptional<string | null>
  /** ISO, on the wall. */
  declare dialledAt: CreationOptional<string | null>
  declare heardAt: CreationOptional<string | null>
  /** What it last told of itself: shown while nothing is heard. */
  declare report: CreationOptional<ClusterReport | null>
}

export class ReachCommandRow extends Model<
  InferAttributes<ReachCommandRow>,
  InferCreationAttributes<ReachCommandRow>
> {
  declare key: string
  /** ISO, on the wall: when it was first begun. */
  declare at: string
  /** What stood before it wrote. */
  declare kept: CreationOptional<Record<string, unknown> | null>
  declare outcome: CreationOptional<Ended | null>
}

/** Where the relay listens, so that agents find it after a restart. */
export class RelayRow extends Model<InferAttributes<RelayRow>, InferCreationAttributes<RelayRow>> {
  declare id: number
  declare port: number
}

export function defineReach(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false } as const
  ReachRow.init(
    {
      cluster: { ...text(), primaryKey: true },
      kind: text(),
      state: text(),
      accessFile: optionalText(),
      token: optionalText(),
      tokenHash: optionalText(),
      credentialHash: optionalText(),
      dialledAt: optionalText(),
      heardAt: optionalText(),
      report: optionalJson(),
    },
    { ...common, tableName: 'reaches' },
  )
  ReachCommandRow.init(
    {
      key: { ...text(), primaryKey: true },
      at: text(),
      kept: optionalJson(),
      outcome: optionalJson(),
    },
    { ...common, tableName: 'reach_commands' },
  )
  RelayRow.init(
    { id: { ...whole(), primaryKey: true }, port: whole() },
    { ...common, tableName: 'relay' },
  )
}
