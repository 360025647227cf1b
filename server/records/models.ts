/** Gyrarch’s own records. What is filtered or joined on is a column; documents that are only read whole are JSON. */
import type { Params, Said } from '~/core/contract'
import {
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
} from 'sequelize'
import type { AutoscalePolicy, HealthPolicy } from '~/core/keeping'
import type { RestWindow } from '~/core/scaling'
import type { Command, Failure, Finding, Plan, Proof, RetryPolicy } from '~/core/changes'
import { type CallFacts } from '~/core/provisioning'

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
  /** When it is to run by itself (ISO, on the clock), and into which window; null where nobody has said. */
  declare dueAt: CreationOptional<string | null>
  declare window: CreationOptional<string | null>
  /** Names that its author typed for what is guarded. */
  declare confirmed: CreationOptional<string[] | null>
  /** The set that it runs in, and its place there from 0; null where it runs by itself. */
  declare parent: CreationOptional<number | null>
  declare position: CreationOptional<number | null>
  /** How many changes it holds; null where it is none of them. */
  declare members: CreationOptional<number | null>
  /** A halted run under whose lock it may run: it is a remedy of that one. */
  declare under: CreationOptional<number | null>
  /** Why it came back to its author instead of running. */
  declare returned: CreationOptional<Returned | null>
}

/** Why a change that was scheduled, or waited, is a draft again. */
export interface Returned extends Said {
  readonly at: string
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
  /** Whether its times are the wall’s: whoever carries it has no part in the stand-ins’ clock. */
  declare onTheWall: CreationOptional<boolean>
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

/** A command that failed, whatever came after it: a run remembers its attempts. */
export class FailureRow extends Model<
  InferAttributes<FailureRow>,
  InferCreationAttributes<FailureRow>
> {
  declare id: CreationOptional<number>
  declare change: number
  declare step: string
  declare attempt: number
  declare undoing: boolean
  declare at: string
  declare group: string
  declare says: string
  declare command: Command
  declare cause: Failure
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
  declare params: CreationOptional<Params>
  declare by: CreationOptional<string>
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
  /** Digests of its images. */
  declare images: CreationOptional<string[]>
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

/** What a first start has still to do. */
export class LoadingRow extends Model<
  InferAttributes<LoadingRow>,
  InferCreationAttributes<LoadingRow>
> {
  declare what: string
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
  declare facts: CallFacts | null
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

/** Where machines at a site reach Gyrarch. */
export class ContactRow extends Model<
  InferAttributes<ContactRow>,
  InferCreationAttributes<ContactRow>
> {
  declare site: string
  declare address: string
}

/** How long a step took that ended well at its first attempt. */
export class DurationRow extends Model<
  InferAttributes<DurationRow>,
  InferCreationAttributes<DurationRow>
> {
  declare id: CreationOptional<number>
  declare change: number
  declare step: string
  declare verb: string
  declare site: string
  declare size: string
  /** Seconds: what was likely, what was worst, what it took. */
  declare predicted: number
  declare worst: number
  declare seconds: number
  declare at: string
}

export class WindowRow extends Model<
  InferAttributes<WindowRow>,
  InferCreationAttributes<WindowRow>
> {
  declare name: string
  declare start: string
  declare zone: string
  declare minutes: number
  declare rule: string | null
  declare except: string[]
  declare clusters: string[]
  declare labels: Record<string, string>
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
  /** Its private half, sealed; null for one whose private half was not kept. */
  declare sealed: string | null
  /** Where the API of the cluster listens on this machine. */
  declare port: CreationOptional<number | null>
  /** How often what a subject was given has been called back, by its name. */
  declare epochs: CreationOptional<Readonly<Record<string, number>> | null>
}
