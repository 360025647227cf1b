/** Gyrarch’s own records. What is filtered or joined on is a column; documents that are only read whole are JSON. */
import type { Params } from '~/core/contract'
import {
  type CreationOptional,
  DataTypes,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  type Sequelize,
} from 'sequelize'
import type { AutoscalePolicy, HealthPolicy } from '~/core/keeping'
import type { RestWindow } from '~/core/scaling'
import type { Command, Failure, Finding, Plan, Proof, RetryPolicy } from '~/core/changes'

export type ChangeState =
  | 'draft'
  | 'waiting'
  | 'scheduled'
  | 'running'
  | 'halted'
  | 'undoing'
  | 'done'
  | 'taken-back'
  | 'given-up'
export type StepState =
  'waiting' | 'running' | 'retrying' | 'done' | 'failed' | 'undone' | 'skipped'

export class ClusterRow extends Model<
  InferAttributes<ClusterRow>,
  InferCreationAttributes<ClusterRow>
> {
  declare name: string
  declare site: string
  declare guarded: boolean
  declare release: string
  declare controlPlane:
    { kind: 'own'; count: number } | { kind: 'managed'; tier: 'plain' | 'assured' }
  declare pools: {
    name: string
    size: string
    lifetime: 'on-demand' | 'spot'
    range: { min: number; max: number } | null
    taints: {
      key: string
      value: string
      effect: 'NoSchedule' | 'PreferNoSchedule' | 'NoExecute'
    }[]
  }[]
  declare labels: Record<string, string>
  declare drives: string[]
  declare pods: string
  declare services: string
  declare maxPodsPerNode: number
  declare endpoint: string | null
  /** How its nodes are kept healthy; null is the usual way. */
  declare health: CreationOptional<HealthPolicy | null>
  /** When it rests by itself; null is never. */
  declare rest: CreationOptional<{ zone: string; windows: RestWindow[] } | null>
  /** Whether its pools scale by themselves; null is not at all. */
  declare autoscale: CreationOptional<AutoscalePolicy | null>
  /** The boundary of its calendar (ISO time) up to which all was done. */
  declare restDoneAt: CreationOptional<string | null>
}

export class ChangeRow extends Model<
  InferAttributes<ChangeRow>,
  InferCreationAttributes<ChangeRow>
> {
  declare number: CreationOptional<number>
  declare kind: string
  declare label: string
  /** A name its author gave the draft, or null. */
  declare title: string | null
  declare intent: unknown
  /** Counts amendments; the strong validator of the draft. */
  declare version: number
  declare state: ChangeState
  /** Whether the run goes on or back. */
  declare direction: 'on' | 'back'
  declare site: string | null
  declare createdAt: Date
  declare amendedAt: Date
  declare startedAt: string | null
  declare endedAt: string | null
  declare accepted: string[]
  declare findings: Finding[] | null
  declare plan: Plan | null
  declare planDigest: string | null
  declare proof: Proof[] | null
  declare subjects: string[] | null
  declare waitsFor: string | null
  declare cause: Failure | null
}

export class StepRow extends Model<InferAttributes<StepRow>, InferCreationAttributes<StepRow>> {
  declare change: number
  declare id: string
  declare position: number
  declare group: string
  declare says: string
  declare after: string[]
  declare command: Command
  declare undo: Command | null
  declare final: boolean
  declare likely: number
  declare worst: number
  declare retry: RetryPolicy
  declare state: StepState
  /** Attempts in all, and how many of them before the last “retry from here”. */
  declare attempts: number
  declare attemptsBefore: number
  declare undoAttempts: number
  /** Key of the command under way; null when none is. */
  declare key: string | null
  declare undoing: boolean
  declare startedAt: string | null
  declare endedAt: string | null
  /** When the next attempt is due. */
  declare dueAt: string | null
  declare result: Record<string, unknown> | null
  declare cause: Failure | null
}

export class EvidenceRow extends Model<
  InferAttributes<EvidenceRow>,
  InferCreationAttributes<EvidenceRow>
> {
  declare change: number
  declare step: string
  declare key: string
  declare index: number
  declare at: string
  declare code: string
  declare params: Params
  declare says: string
}

export class LockRow extends Model<InferAttributes<LockRow>, InferCreationAttributes<LockRow>> {
  declare ref: string
  declare change: number
}

export class ReservationRow extends Model<
  InferAttributes<ReservationRow>,
  InferCreationAttributes<ReservationRow>
> {
  declare id: CreationOptional<number>
  declare change: number
  declare kind: 'address' | 'machine' | 'name' | 'range'
  declare site: string
  declare domain: string | null
  declare zone: string | null
  declare what: string
  declare cores: number | null
  declare memoryBytes: number | null
}

export class JournalRow extends Model<
  InferAttributes<JournalRow>,
  InferCreationAttributes<JournalRow>
> {
  declare seq: CreationOptional<number>
  /** ISO time on the stand-ins’ clock. */
  declare at: string
  declare wall: Date
  declare kind: string
  declare change: number | null
  declare about: string | null
  declare says: string
}

export class ReleaseRow extends Model<
  InferAttributes<ReleaseRow>,
  InferCreationAttributes<ReleaseRow>
> {
  declare version: string
  declare released: string
  declare endOfSupport: string
  declare architectures: string[]
  declare baseImage: string
  declare minimumRootDiskGb: number
  declare withdrawn: string | null
}

export class LedgerRow extends Model<
  InferAttributes<LedgerRow>,
  InferCreationAttributes<LedgerRow>
> {
  declare id: CreationOptional<number>
  declare domain: string
  declare range: string
  declare name: string
}

export class KeyRow extends Model<InferAttributes<KeyRow>, InferCreationAttributes<KeyRow>> {
  declare name: string
  /** The public half; null for a key that is known by name only. */
  declare line: string | null
  declare fingerprint: string | null
}

export class CredentialRow extends Model<
  InferAttributes<CredentialRow>,
  InferCreationAttributes<CredentialRow>
> {
  declare site: string
  declare name: string
  declare sealed: string
  declare fingerprint: string
  declare until: string
  declare checkedAt: string | null
  declare checkedSays: string | null
  declare checkedGood: boolean | null
}

/** A machine that is waited for, and what it told when its join script ran. */
export class JoinRow extends Model<InferAttributes<JoinRow>, InferCreationAttributes<JoinRow>> {
  declare change: number
  declare machine: string
  declare cluster: string
  declare site: string
  declare node: string
  declare card: string
  declare address: string
  /** Which script is the one that counts: an older one’s token is not taken. */
  declare round: number
  declare until: string
  declare usedAt: string | null
  /** What it told, whether it was taken or not. */
  declare facts: Record<string, unknown> | null
  declare refused: string | null
}

export class TemplateRow extends Model<
  InferAttributes<TemplateRow>,
  InferCreationAttributes<TemplateRow>
> {
  declare name: string
  declare says: string
  declare kind: string
  declare intent: unknown
  declare open: string[]
  declare shipped: boolean
}

export class LayerFileRow extends Model<
  InferAttributes<LayerFileRow>,
  InferCreationAttributes<LayerFileRow>
> {
  declare name: string
  declare text: string
}

/** What a command made, and when it was gone again. */
export class MadeRow extends Model<InferAttributes<MadeRow>, InferCreationAttributes<MadeRow>> {
  declare id: CreationOptional<number>
  declare ref: string
  declare change: number
  declare step: string
  declare at: string
  declare goneAt: CreationOptional<string | null>
  declare goneBy: CreationOptional<number | null>
}

/** A walk that is kept: what is to be reached, or not. */
export class ExpectationRow extends Model<
  InferAttributes<ExpectationRow>,
  InferCreationAttributes<ExpectationRow>
> {
  declare name: string
  declare from: Record<string, string>
  declare to: Record<string, string>
  declare port: number
  declare protocol: 'TCP' | 'UDP' | 'SCTP'
  declare delivered: boolean
}

export class PriceRow extends Model<InferAttributes<PriceRow>, InferCreationAttributes<PriceRow>> {
  declare site: string
  declare item: string
  declare units: number
}

export class AuthorityRow extends Model<
  InferAttributes<AuthorityRow>,
  InferCreationAttributes<AuthorityRow>
> {
  declare cluster: string
  /** The names its certificate covers; a change of names makes a new one. */
  declare covers: string
  declare certificate: string
  declare fingerprint: string
  declare expires: string
}

const { BOOLEAN, DATE, INTEGER, JSON: Json, STRING, TEXT } = DataTypes
// The library writes into the definitions it is given, so each column gets one of its own.
const text = () => ({ type: STRING, allowNull: false })
const optionalText = () => ({ type: STRING, allowNull: true })
const json = () => ({ type: Json, allowNull: false })
const optionalJson = () => ({ type: Json, allowNull: true })
const whole = () => ({ type: INTEGER, allowNull: false })

export function defineRecords(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false } as const
  MadeRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      ref: text(),
      change: whole(),
      step: text(),
      at: text(),
      goneAt: optionalText(),
      goneBy: { type: INTEGER, allowNull: true },
    },
    { ...common, tableName: 'made' },
  )
  ClusterRow.init(
    {
      name: { ...text(), primaryKey: true },
      site: text(),
      guarded: { type: BOOLEAN, allowNull: false },
      release: text(),
      controlPlane: json(),
      pools: json(),
      labels: json(),
      drives: json(),
      pods: text(),
      services: text(),
      maxPodsPerNode: whole(),
      endpoint: optionalText(),
      health: optionalJson(),
      rest: optionalJson(),
      autoscale: optionalJson(),
      restDoneAt: optionalText(),
    },
    { ...common, tableName: 'clusters' },
  )
  ChangeRow.init(
    {
      number: { type: INTEGER, primaryKey: true, autoIncrement: true },
      kind: text(),
      label: text(),
      title: optionalText(),
      intent: json(),
      version: whole(),
      state: text(),
      direction: text(),
      site: optionalText(),
      createdAt: { type: DATE, allowNull: false },
      amendedAt: { type: DATE, allowNull: false },
      startedAt: optionalText(),
      endedAt: optionalText(),
      accepted: json(),
      findings: optionalJson(),
      plan: optionalJson(),
      planDigest: optionalText(),
      proof: optionalJson(),
      subjects: optionalJson(),
      waitsFor: optionalText(),
      cause: optionalJson(),
    },
    { ...common, tableName: 'changes' },
  )
  StepRow.init(
    {
      change: { ...whole(), primaryKey: true },
      id: { ...text(), primaryKey: true },
      position: whole(),
      group: text(),
      says: text(),
      after: json(),
      command: json(),
      undo: optionalJson(),
      final: { type: BOOLEAN, allowNull: false },
      likely: { type: DataTypes.DOUBLE, allowNull: false },
      worst: { type: DataTypes.DOUBLE, allowNull: false },
      retry: json(),
      state: text(),
      attempts: whole(),
      attemptsBefore: whole(),
      undoAttempts: whole(),
      key: optionalText(),
      undoing: { type: BOOLEAN, allowNull: false },
      startedAt: optionalText(),
      endedAt: optionalText(),
      dueAt: optionalText(),
      result: optionalJson(),
      cause: optionalJson(),
    },
    { ...common, tableName: 'steps' },
  )
  EvidenceRow.init(
    {
      change: { ...whole(), primaryKey: true },
      key: { ...text(), primaryKey: true },
      index: { ...whole(), primaryKey: true },
      step: text(),
      at: text(),
      code: text(),
      params: { type: Json, allowNull: false },
      says: { type: TEXT, allowNull: false },
    },
    { ...common, tableName: 'evidence' },
  )
  LockRow.init(
    { ref: { ...text(), primaryKey: true }, change: whole() },
    { ...common, tableName: 'locks' },
  )
  ReservationRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      change: whole(),
      kind: text(),
      site: text(),
      domain: optionalText(),
      zone: optionalText(),
      what: text(),
      cores: { type: INTEGER, allowNull: true },
      memoryBytes: { type: DataTypes.BIGINT, allowNull: true },
    },
    { ...common, tableName: 'reservations' },
  )
  JournalRow.init(
    {
      seq: { type: INTEGER, primaryKey: true, autoIncrement: true },
      at: text(),
      wall: { type: DATE, allowNull: false },
      kind: text(),
      change: { type: INTEGER, allowNull: true },
      about: optionalText(),
      says: { type: TEXT, allowNull: false },
    },
    { ...common, tableName: 'journal' },
  )
  ReleaseRow.init(
    {
      version: { ...text(), primaryKey: true },
      released: text(),
      endOfSupport: text(),
      architectures: json(),
      baseImage: text(),
      minimumRootDiskGb: whole(),
      withdrawn: optionalText(),
    },
    { ...common, tableName: 'releases' },
  )
  LedgerRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      domain: text(),
      range: text(),
      name: text(),
    },
    { ...common, tableName: 'ledger' },
  )
  KeyRow.init(
    {
      name: { ...text(), primaryKey: true },
      line: { type: TEXT, allowNull: true },
      fingerprint: optionalText(),
    },
    { ...common, tableName: 'ssh_keys' },
  )
  CredentialRow.init(
    {
      site: { ...text(), primaryKey: true },
      name: { ...text(), primaryKey: true },
      sealed: { type: TEXT, allowNull: false },
      fingerprint: text(),
      until: text(),
      checkedAt: optionalText(),
      checkedSays: optionalText(),
      checkedGood: { type: BOOLEAN, allowNull: true },
    },
    { ...common, tableName: 'credentials' },
  )
  JoinRow.init(
    {
      change: { ...whole(), primaryKey: true },
      machine: { ...text(), primaryKey: true },
      cluster: text(),
      site: text(),
      node: text(),
      card: text(),
      address: text(),
      round: whole(),
      until: text(),
      usedAt: optionalText(),
      facts: optionalJson(),
      refused: optionalText(),
    },
    { ...common, tableName: 'joins' },
  )
  TemplateRow.init(
    {
      name: { ...text(), primaryKey: true },
      says: text(),
      kind: text(),
      intent: json(),
      open: json(),
      shipped: { type: BOOLEAN, allowNull: false },
    },
    { ...common, tableName: 'templates' },
  )
  LayerFileRow.init(
    { name: { ...text(), primaryKey: true }, text: { type: TEXT, allowNull: false } },
    { ...common, tableName: 'layer_files' },
  )
  ExpectationRow.init(
    {
      name: { ...text(), primaryKey: true },
      from: json(),
      to: json(),
      port: { type: INTEGER, allowNull: false },
      protocol: text(),
      delivered: { type: BOOLEAN, allowNull: false },
    },
    { ...common, tableName: 'expectations' },
  )
  PriceRow.init(
    {
      site: { ...text(), primaryKey: true },
      item: { ...text(), primaryKey: true },
      units: { type: DataTypes.DOUBLE, allowNull: false },
    },
    { ...common, tableName: 'prices' },
  )
  AuthorityRow.init(
    {
      cluster: { ...text(), primaryKey: true },
      covers: { type: TEXT, allowNull: false },
      certificate: { type: TEXT, allowNull: false },
      fingerprint: text(),
      expires: text(),
    },
    { ...common, tableName: 'authorities' },
  )
}
