/**
 * What taking a cluster from one release to another consists of, in order: before each step of the control plane the steps of
 * add-ons that have to be done by then, then the turnovers of pools; after the last, the turnovers that end at the target.
 */
import { addOnSteps, type AddOnSteps, type AddOnVersion } from './add-on-steps'
import { type Catalogue, releasePath } from './path'
import { isNewer, isTooOld } from './skew'
import { turnoversOf } from './turnovers'

export interface ClusterUpgradeAsked extends Catalogue {
  readonly from: string
  readonly to: string
  readonly pools: readonly { readonly name: string; readonly version: string }[]
  readonly addOns: readonly { readonly name: string; readonly version: string }[]
  readonly addOnCatalogue: readonly {
    readonly name: string
    readonly versions: readonly AddOnVersion[]
  }[]
}

export type UpgradeStep =
  | { readonly kind: 'control-plane'; readonly from: string; readonly to: string }
  | {
      readonly kind: 'turnover'
      readonly pool: string
      readonly from: string
      readonly to: string
    }
  | { readonly kind: 'add-on'; readonly name: string; readonly from: string; readonly to: string }

export interface UpgradeProblem {
  readonly kind: 'no-path' | 'pool-newer' | 'pool-too-old' | 'add-on'
  readonly name?: string
  /** The version of the path at which it shows. */
  readonly at?: string
  readonly says: string
}

export interface ClusterUpgrade {
  /** Null only where there is none. */
  readonly path: readonly string[] | null
  /** Empty with a problem. */
  readonly steps: readonly UpgradeStep[]
  readonly problems: readonly UpgradeProblem[]
}

function poolProblem(
  { name, version }: ClusterUpgradeAsked['pools'][number],
  from: string,
): UpgradeProblem | null {
  if (isNewer(version, from))
    return {
      kind: 'pool-newer',
      name,
      at: from,
      says: `${name} runs ${version}, newer than the control plane with ${from}: agents are never newer than the API.`,
    }
  return isTooOld(version, from)
    ? {
        kind: 'pool-too-old',
        name,
        at: from,
        says: `${name} runs ${version}, too old for the control plane with ${from}. Turn it over first.`,
      }
    : null
}

function addOnProblem(
  { name, version }: ClusterUpgradeAsked['addOns'][number],
  result: AddOnSteps,
): UpgradeProblem | null {
  if (result.ok) return null
  const says = {
    unknown: `The catalogue has no ${name} ${version}.`,
    unfit: `${name} ${version} does not fit ${result.at}.`,
    'no-way': `No version of ${name} leads from ${version} to one that fits ${result.at}.`,
  }[result.reason]
  return { kind: 'add-on', name, at: result.at, says }
}

/** A catalogue without mistakes, of which `from` and `to` are releases, `to` not below `from`. */
export function clusterUpgrade(asked: ClusterUpgradeAsked): ClusterUpgrade {
  const { from, to, pools, addOns, addOnCatalogue } = asked
  const { path, nearest } = releasePath(asked, from, to)
  const along = path ?? [from]
  const versionsOf = new Map(addOnCatalogue.map(({ name, versions }) => [name, versions]))
  const stepped = addOns.map((addOn) => ({
    addOn,
    result: addOnSteps(along, addOn.version, versionsOf.get(addOn.name) ?? []),
  }))
  const problems = [
    ...(path
      ? []
      : [
          {
            kind: 'no-path' as const,
            says: `No path leads from ${from} to ${to}; ${from} gets as far as ${nearest ?? from}.`,
          },
        ]),
    ...pools.flatMap((pool) => poolProblem(pool, from) ?? []),
    ...stepped.flatMap(({ addOn, result }) => addOnProblem(addOn, result) ?? []),
  ]
  if (!path || problems.length > 0) return { path, steps: [], problems }
  const turned = pools.map(({ name, version }) => ({
    pool: name,
    turnovers: turnoversOf(path, version),
  }))
  const steps = path.flatMap((release, place): readonly UpgradeStep[] => {
    const next = path[place + 1]
    return [
      ...stepped.flatMap(({ addOn, result }) =>
        (result.ok ? result.steps : [])
          .filter(({ at }) => at === place)
          .map((step) => ({
            kind: 'add-on' as const,
            name: addOn.name,
            from: step.from,
            to: step.to,
          })),
      ),
      ...turned.flatMap(({ pool, turnovers }) =>
        turnovers
          .filter(({ at }) => at === place)
          .map((turnover) => ({
            kind: 'turnover' as const,
            pool,
            from: turnover.from,
            to: turnover.to,
          })),
      ),
      ...(next === undefined ? [] : [{ kind: 'control-plane' as const, from: release, to: next }]),
    ]
  })
  return { path, steps, problems }
}
