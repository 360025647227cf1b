/** A plan run through a model of what was observed, and what is told of that. */
import { type Plan, planDigest } from '~/core/changes'
import { type FleetView, listedObjects } from '~/core/fleet'
import type { Rehearsal } from '~/core/rehearsal'
import { type Model, runThrough } from './run-through'

export type RehearsedFleet = Pick<FleetView, 'now' | 'sites' | 'clusters' | 'published' | 'peers'>

export interface OpenedModel extends Model {
  /** Ready pods of each workload, by `cluster namespace/name`. */
  ready(): Promise<Readonly<Record<string, number>>>
  close(): Promise<void>
}

export type OpenModel = (of: {
  readonly view: RehearsedFleet
  readonly objects: Readonly<Record<string, ReturnType<typeof listedObjects>>>
  readonly seed: number
}) => Promise<OpenedModel>

/** Clusters that the commands of a plan are about. */
export const clustersIn = (plan: Plan): readonly string[] => [
  ...new Set(
    plan.steps.flatMap(({ command: { args } }) =>
      typeof args['cluster'] === 'string' ? [args['cluster']] : [],
    ),
  ),
]

/** Runs a plan through a model of a picture that has the objects of its clusters; `progress` hears how many steps have ended. */
export async function inModel(
  open: OpenModel,
  of: { readonly plan: Plan; readonly view: FleetView; readonly seed: number },
  progress: (done: number) => void,
  signal: AbortSignal,
): Promise<Rehearsal> {
  const { plan, view, seed } = of
  const { now, sites, clusters, published, peers } = view
  const model = await open({
    view: {
      now,
      sites,
      clusters,
      ...(published === undefined ? {} : { published }),
      ...(peers === undefined ? {} : { peers }),
    },
    objects: Object.fromEntries(
      clustersIn(plan).map((name) => [name, listedObjects(view, name)] as const),
    ),
    seed,
  })
  try {
    const before = await model.ready()
    const told = await runThrough(plan, model, Date.parse(now), progress, signal)
    const after = await model.ready()
    return {
      plan: planDigest(plan),
      at: now,
      ...told,
      short: Object.entries(before).flatMap(([workload, count]) => {
        const left = after[workload]
        return left !== undefined && left < count ? [{ workload, before: count, after: left }] : []
      }),
    }
  } finally {
    await model.close()
  }
}
