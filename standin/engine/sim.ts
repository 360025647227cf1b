/** What behaviours of the simulated outside can see and do. */

import type { Cluster, Fault, World, Site, OperationFailure, Operation, SimEvent } from '../world'

/** What can be put into the queue for later. */
export type Later =
  | { kind: 'pod-runs' | 'pod-fails' | 'pod-ends'; cluster: string; pod: string }
  | { kind: 'cron'; cluster: string; workload: string }
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
  touch(slice: string): void
}
/** One stage of a command: its median duration, and what happens when that has passed. */
export interface Stage {
  readonly seconds: number | ((sim: Sim, op: Operation) => number)
  /** What was seen, a failure, or nothing. `again` seconds: look again later (waiting for something else). */
  readonly then: (
    sim: Sim,
    op: Operation,
  ) => string | OperationFailure | { readonly again: number } | undefined
}
export interface Behaviour {
  readonly stages: readonly Stage[]
  readonly result?: (sim: Sim, op: Operation) => Record<string, unknown>
}
export interface Snapshot {
  readonly now: number
  readonly seq: number
  readonly processed: number
  readonly seed: number
  readonly queue: readonly SimEvent[]
  readonly faults: readonly Fault[]
  readonly operations: Readonly<Record<string, Operation>>
  readonly images?: World['images']
  readonly peers?: World['peers']
}
