/** Who would notice that something does not do its work: its callers, what is expected of it, names that lead to it. */
import type { FleetView, TrafficView } from '~/core/fleet'
import type { ApiObject } from '~/core/objects'

export interface Noticing {
  /** `caller`, `expectation`, `name` or `claim`. */
  readonly what: 'caller' | 'expectation' | 'name' | 'claim'
  readonly who: string
  readonly says: string
}

interface Shown {
  readonly kind?: string
  readonly metadata: {
    readonly name?: string
    readonly namespace?: string
    readonly labels?: Readonly<Record<string, string>>
  }
  readonly spec?: {
    readonly nodeName?: string
    readonly selector?: Readonly<Record<string, string>>
    readonly volumes?: readonly {
      readonly persistentVolumeClaim?: { readonly claimName?: string }
    }[]
  }
}

const named = (metadata: Shown['metadata']): string =>
  `${metadata.namespace ?? 'default'}/${metadata.name ?? ''}`

/** The pods that stand for a subject: its own, those on a node, those behind a service. */
function podsOf(subject: string, objects: readonly Shown[]): readonly Shown[] {
  const [kind = '', first = '', second = ''] = subject.split('/')
  const pods = objects.filter((object) => object.kind === 'Pod')
  if (kind === 'node') return pods.filter(({ spec }) => spec?.nodeName === first)
  if (kind === 'pod') return pods.filter(({ metadata }) => named(metadata) === `${first}/${second}`)
  return pods.filter(
    ({ metadata }) =>
      metadata.namespace === first && (metadata.name ?? '').startsWith(`${second}-`),
  )
}

/** Those who would notice, each once: at most so many of a kind as a page can show. */
export function whoNotices(
  view: FleetView,
  cluster: string,
  subjects: readonly string[],
  objects: readonly ApiObject[],
  traffic: readonly TrafficView[],
): readonly Noticing[] {
  const shown = objects as unknown as readonly Shown[]
  const pods = subjects.flatMap((subject) => podsOf(subject, shown))
  const services = shown.filter(({ kind, metadata, spec }) => {
    if (kind !== 'Service') return false
    if (subjects.includes(`service/${named(metadata)}`)) return true
    const selector = Object.entries(spec?.selector ?? {})
    return (
      selector.length > 0 &&
      pods.some(
        (pod) =>
          pod.metadata.namespace === metadata.namespace &&
          selector.every(([key, value]) => pod.metadata.labels?.[key] === value),
      )
    )
  })
  const names = new Set(services.map(({ metadata }) => named(metadata)))
  const callers = traffic
    .filter(({ to }) => names.has(to))
    .map(({ from, to, port }): Noticing => ({
      what: 'caller',
      who: from,
      says: `calls ${to} on port ${port}`,
    }))
  const expected = (view.expectations ?? [])
    .filter(
      ({ to }) =>
        to['cluster'] === cluster &&
        (names.has(to['service'] ?? '') ||
          pods.some(({ metadata }) => named(metadata) === to['pod'])),
    )
    .map(({ name, port }): Noticing => ({
      what: 'expectation',
      who: name,
      says: `expects an answer on port ${port}`,
    }))
  const claims = pods.flatMap(({ metadata, spec }) =>
    (spec?.volumes ?? []).flatMap(({ persistentVolumeClaim }): readonly Noticing[] =>
      persistentVolumeClaim?.claimName === undefined
        ? []
        : [
            {
              what: 'claim',
              who: `${metadata.namespace ?? 'default'}/${persistentVolumeClaim.claimName}`,
              says: `is mounted by ${metadata.name ?? ''}`,
            },
          ],
    ),
  )
  const site = view.sites.find(
    (each) => each.name === view.clusters.find(({ name }) => name === cluster)?.site,
  )
  const isWhole = subjects.includes('cluster')
  const records = isWhole
    ? (site?.records ?? [])
        .filter(({ name }) => name.includes(cluster))
        .map(({ name, value }): Noticing => ({
          what: 'name',
          who: name,
          says: `leads to ${value}`,
        }))
    : []
  const seen = new Set<string>()
  return [...callers, ...expected, ...records, ...claims].filter(({ what, who, says }) => {
    const key = `${what} ${who} ${says}`
    return !seen.has(key) && seen.add(key)
  })
}
