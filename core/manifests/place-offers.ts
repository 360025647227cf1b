/** What would give pods a place that find none: more nodes, or less asked for by each. */
import type { Offer, RemedyChange } from '../changes'
import type { ClusterView } from '../fleet'
import { asText, list, type PodObject, record } from '../objects'
import { altered, type Pod, type Trial, type World } from '../placement'
import { countText, MiB, parseBytes, parseCpuMilli } from '../units'
import { templateOf } from './references'
import type { Wanted } from './wanted-pods'

export const patchText = (text: string): RemedyChange => ({
  patchDraft: [{ op: 'replace', path: '/text', value: text }],
})

/** The least number from `low` to `high` for which something holds, or null; it holds for all above the least. */
function least(low: number, high: number, holds: (count: number) => boolean): number | null {
  if (high < low || !holds(high)) return null
  while (low < high) {
    const middle = Math.floor((low + high) / 2)
    if (holds(middle)) high = middle
    else low = middle + 1
  }
  return low
}

/** So many nodes of a pool are tried as more. */
const mostNodes = 60

/** The pool that grows by itself until all fit, and by how many nodes; null where none does. */
export function growthFor(
  trial: Trial,
  world: World,
  pods: readonly Pod[],
  cluster: ClusterView,
): { readonly pool: string; readonly nodes: number } | null {
  if (cluster.autoscale?.enabled !== true) return null
  for (const pool of cluster.pools) {
    const like = world.room.nodes.find(
      (node) => node.metadata.labels?.['gyrarch/pool'] === pool.name,
    )
    const more = Math.min(mostNodes, (pool.range?.max ?? 0) - pool.nodes.length)
    const nodes = like ? least(1, more, (count) => trial.fitsWith(pods, like, count)) : null
    if (nodes !== null) return { pool: pool.name, nodes }
  }
  return null
}

/** More nodes of a pool: the fewest with which all fit, the pool that needs fewest first. */
export function nodeOffers(
  trial: Trial,
  world: World,
  pods: readonly Pod[],
  cluster: ClusterView,
): readonly Offer[] {
  const wider = cluster.pools.flatMap((pool) => {
    const like = world.room.nodes.find(
      (node) => node.metadata.labels?.['gyrarch/pool'] === pool.name,
    )
    if (!like || pool.name === 'control-plane') return []
    const more = least(1, mostNodes, (count) => trial.fitsWith(pods, like, count))
    return more === null ? [] : [{ pool, more }]
  })
  return wider
    .sort((a, b) => a.more - b.more)
    .slice(0, 1)
    .map(({ pool, more }) => ({
      says: `Add ${countText(more, 'node')} to ${pool.name}`,
      change: {
        kind: 'pool.resize',
        intent: { cluster: cluster.name, pool: pool.name, count: pool.nodes.length + more },
      },
    }))
}

const sizes = {
  cpu: { read: parseCpuMilli, step: 50, text: (size: number) => `${size}m` },
  memory: { read: parseBytes, step: 16 * MiB, text: (size: number) => `${size / MiB}Mi` },
} as const

/** Less of what is short, asked for by the largest container: the most with which all fit. */
export function requestOffers(
  trial: Trial,
  world: World,
  wanted: Wanted,
  pods: readonly Pod[],
  short: Readonly<Record<string, number>>,
  edit: (path: readonly (string | number)[], value: unknown) => string | null,
): readonly Offer[] {
  const template = templateOf(wanted.object)
  const first = pods[0]
  if (!template || !first || wanted.numberAt?.[1] === 'maxReplicas') return []
  return (['cpu', 'memory'] as const).flatMap((resource): readonly Offer[] => {
    if (!Object.hasOwn(short, resource)) return []
    const { read, step, text } = sizes[resource]
    const containers = list(record(first.object.spec)['containers'])
    const asked = containers.map((container) => {
      const size = read(
        asText(record(record(record(container)['resources'])['requests'])[resource]),
      )
      return size.ok ? size.value : 0
    })
    const largest = asked.indexOf(Math.max(...asked))
    const mostSteps = Math.floor(((asked[largest] ?? 0) - 1) / step)
    const withLess = (steps: number): readonly Pod[] => {
      const spec = record(first.object.spec)
      const less = containers.map((entry, i) => {
        const container = record(entry)
        const resources = record(container['resources'])
        return i === largest
          ? {
              ...container,
              resources: {
                ...resources,
                requests: { ...record(resources['requests']), [resource]: text(steps * step) },
              },
            }
          : container
      })
      const object = { ...first.object, spec: { ...spec, containers: less } } as PodObject
      const like = altered(world, first, object)
      return pods.map((pod) => ({ ...like, key: pod.key }))
    }
    const before = trial.count
    const misfit = least(1, mostSteps + 1, (steps) => {
      if (steps > mostSteps) return true
      const lesser = withLess(steps)
      const { fits } = trial.put(lesser)
      trial.takeBack(before)
      return fits < lesser.length
    })
    const steps = (misfit ?? 1) - 1
    if (steps < 1) return []
    const path = template.path.split('.')
    const changed = edit(
      [...path, 'spec', 'containers', largest, 'resources', 'requests', resource],
      text(steps * step),
    )
    return changed === null
      ? []
      : [
          {
            says: `Ask for ${text(steps * step)} of ${resource} a pod`,
            change: patchText(changed),
          },
        ]
  })
}
