/**
 * The one pipeline through which the fleet is altered:  Draft → Findings → Plan → Run → Proof.
 * A change kind is data in, data out; everything that carries it out lives behind ports.
 */
import type { Operation } from 'fast-json-patch'
import type { z } from 'zod'
import type { Command, Failure, Ref, Said } from '../contract'
import type { FleetView, Reservation } from '../fleet'

/** Something observed, on which a finding or a cause rests. */
export interface Fact extends Said {
  /** Where it was seen: a port, a ledger, a catalogue, the draft itself. */
  readonly source: string
  /** ISO time on the stand-ins' clock, where the fact has one. */
  readonly at?: string
}

export type Level = 'stop' | 'caution' | 'note'

/** `rule|field` or `rule|about`: stable from check to check. */
export type FindingKey = string

export interface Finding extends Said {
  readonly key: FindingKey
  readonly level: Level
  readonly rule: string
  /** Path into the intent, like `pools[0].rootDiskGb`. */
  readonly field?: string
  readonly about?: Ref
  readonly because: readonly Fact[]
  readonly remedies: readonly Remedy[]
}

export type JsonPatch = readonly Operation[]

export type RemedyChange =
  { readonly kind: string; readonly intent: unknown } | { readonly patchDraft: JsonPatch }

export interface Remedy {
  readonly says: string
  readonly change: RemedyChange
  readonly clears: readonly FindingKey[]
}

/** A remedy that a check has in mind: nothing shows yet that it helps. */
export interface Offer {
  readonly says: string
  readonly change: RemedyChange
}

/** A remedy that a kind has in mind for a failure. Another change is proven by the fleet as it leaves it. */
export interface Answer extends Offer {
  /** Whether what failed would go there; only of other changes, which are nothing without it. */
  readonly goesIn?: (after: FleetView) => boolean
}

/** A command of a run that failed, whatever came after it. */
export interface FailedAttempt {
  readonly step: StepId
  /** ISO time on the clock of whoever carried it. */
  readonly at: string
  readonly command: Command
  readonly cause: Failure
}

/** A finding as a check writes it: the key is derived, and remedies are still unproven. */
export interface RawFinding extends Omit<Finding, 'key' | 'remedies'> {
  readonly offers?: readonly Offer[]
}

/** Attempts in all, and the wait before the second; each further wait doubles, up to `mostSeconds`. */
export interface RetryPolicy {
  readonly attempts: number
  readonly firstSeconds: number
  readonly mostSeconds: number
}

export type StepId = string

/** Median and 95th percentile. */
export interface Estimate {
  readonly likely: number
  readonly worst: number
  /** On how many runs it rests; absent where it was assumed beforehand. */
  readonly runs?: number
}

export interface Step {
  readonly id: StepId
  readonly after: readonly StepId[]
  /** What it does, as shown while it runs. */
  readonly says: string
  /** What it touches, for grouping in the timeline: a machine, a pool, the network. */
  readonly group: string
  readonly command: Command
  readonly undo?: Command
  /** Steps of an earlier plan whose work this one takes back: they may be missing from an amended plan although they are done. */
  readonly replaces?: readonly StepId[]
  /** Once done it cannot be undone: a run with such a step done cannot be taken back. */
  readonly final?: boolean
  /** If it fails for good, the run is taken back by itself: a guard. */
  readonly turnsBack?: boolean
  readonly seconds: Estimate
  readonly retry: RetryPolicy
}

export interface Plan {
  readonly steps: readonly Step[]
  readonly creates: readonly Ref[]
  readonly alters: readonly Ref[]
  readonly removes: readonly Ref[]
  readonly seconds: Estimate
  readonly critical: readonly StepId[]
  /** Units per month of 730 hours, for everything at the sites touched. */
  readonly spend: {
    readonly before: number
    readonly after: number
    /** Units beyond what it costs before, once, for what stands only while it runs. */
    readonly meanwhile?: number
  }
  readonly reserves: readonly Reservation[]
}

export interface Proof {
  readonly says: string
  readonly holds: boolean
  /** What was seen, with its unit. */
  readonly observed: string
}

export type StepResults = Readonly<Record<StepId, Readonly<Record<string, unknown>>>>

/**
 * Slices of the fleet a kind must see; its view holds exactly those, and reading more is an error in tests.
 * What names a site or a cluster and says where it stands is always there. `catalogue` are the releases, `published` all
 * that is published with its images; `ledger` the
 * ranges and addresses of every site and cluster; `names` the records, name and time servers of every site; `prices`
 * their prices; `registries` what the registries hold; `spaces` the
 * namespaces and pools of every cluster. A site slice carries the clusters on it, without their pods, a cluster slice the site it stands on;
 * `objects` are what a cluster’s API lists (`objects-everywhere`: of every cluster); `walks` are the objects and the traffic of what a site or a cluster sends
 * and takes, and of what is expected of anybody, with the wiring of everything that a packet may cross.
 */
export type SliceKey =
  | 'catalogue'
  | 'published'
  | 'ledger'
  | 'names'
  | 'prices'
  | 'registries'
  | 'spaces'
  | `site:${string}`
  | `cluster:${string}`
  | `objects:${string}`
  | 'objects-everywhere'
  | `walks:site/${string}`
  | `walks:cluster/${string}`

export interface ChangeKind<Intent> {
  readonly name: string
  readonly title: string
  readonly intent: z.ZodType<Intent>
  readonly needs: (intent: Intent) => readonly SliceKey[]
  /** Locked while a run is under way; a container locks what it contains. */
  readonly subjects: (intent: Intent, view: FleetView) => readonly Ref[]
  /** Whether runs that stand halted in its way are given up for it: what they are about will be gone. */
  readonly endsHalted?: true
  /** The guarded cluster whose name a person has to type, if any. */
  readonly guardedBy: (intent: Intent, view: FleetView) => string | null
  /** All guarded clusters whose names have to be typed, where there can be more than one. */
  readonly guards?: (intent: Intent, view: FleetView) => readonly string[]
  /** A short name for lists and titles: "raise elm-12". */
  readonly label: (intent: Intent) => string
  readonly check: (intent: Intent, view: FleetView) => readonly RawFinding[]
  readonly plan: (intent: Intent, view: FleetView) => Plan
  readonly prove: (intent: Intent, view: FleetView, results: StepResults) => readonly Proof[]
  /** The fleet as it will be once this has run: what proves it as a remedy for something else. */
  readonly after?: (intent: Intent, view: FleetView) => FleetView
  /** Rules of the check under which a failure’s cause shows, once it is known: their remedies answer it. */
  readonly answeredBy?: (failure: Failure) => readonly string[]
  /** Draft changes that might clear a run's failure; they are proven before they are shown. */
  readonly answers?: (
    intent: Intent,
    view: FleetView,
    failure: Failure,
    step: Step,
    /** Everything that has failed in this run so far: what has just failed helps nothing. */
    failed: readonly FailedAttempt[],
  ) => readonly Answer[]
}
