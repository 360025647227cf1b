/** What behaviours of the simulated outside can see and do. */

import type { Said } from '../../core/contract'
import type { ArgsOf, ResultOf, VerbName } from '../../core/contract'
import type { Cluster, Fault, World, Site, OperationFailure, Operation, SimEvent } from '../world'

/** What can be put into the queue for later. */
export type Later =
  | { kind: 'pod-runs' | 'pod-fails' | 'pod-ends'; cluster: string; pod: string }
  | { kind: 'cron' | 'fill' | 'ail'; cluster: string; workload: string }
  | { kind: 'storage' | 'tell' | 'support'; cluster: string }
  | { kind: 'scale'; cluster: string; autoscaler: string }
  | { kind: 'fault'; fault: Fault }
  | {
      kind: 'power'
      site: string
      machine: string
      what: 'unheard' | 'evict' | 'failover' | 'up' | 'taken'
    }
/** What an event or command of the simulation can see and do. */
export interface Sim {
  readonly world: World
  readonly now: number
  site(name: unknown): Site | undefined
  cluster(name: unknown): Cluster | undefined
  /** Seeded milliseconds around a median, named by what happens to whom. */
  takes(name: string, medianSeconds: number): number
  schedule(delayMs: number, event: Later): void
  /** Told by whoever changes something of a site or a cluster, before or after: what follows from it is looked at. */
  touchSite(name: string): void
  touchCluster(name: string): void
}
type Seen = Said | OperationFailure | { readonly again: number } | undefined

/** One stage of a command: its median duration, and what happens when that has passed. */
export interface Stage<Args> {
  readonly seconds: number | { of(sim: Sim, op: Operation<Args>): number }['of']
  /** What was seen, a failure, or nothing. `again` seconds: look again later (waiting for something else). */
  then(sim: Sim, op: Operation<Args>): Seen
}

/** How a command is carried out: its stages, one after the other, and what it answers in the end. */
export interface Carried<Args, Result> {
  readonly stages: readonly Stage<Args>[]
  result?(sim: Sim, op: Operation<Args>): Result
}

/** How a verb of the contract is carried out. */
export type Behaviour<Name extends VerbName> = Carried<ArgsOf<Name>, ResultOf<Name>>

/** The behaviour of whichever verb: its arguments were read by the verb’s schema before it is asked. */
export type AnyBehaviour = Carried<
  Readonly<Record<string, unknown>>,
  Readonly<Record<string, unknown>>
>

export interface Snapshot {
  readonly now: number
  readonly seq: number
  readonly processed: number
  readonly seed: number
  readonly queue: readonly SimEvent[]
  readonly faults: readonly Fault[]
  readonly operations: Readonly<Record<string, Operation>>
  readonly images?: World['images']
  readonly told?: World['told']
  readonly judged?: World['judged']
  readonly peers?: World['peers']
}
