/** Who would notice that something does not do its work: its callers, what is expected of it, names that lead to it. */
import type { FleetView, TrafficView } from '~/core/fleet'
import { type ApiObject, type Json, podsOfWorkload, record, records, text } from '~/core/objects'

export interface Noticing {
  /** `caller`, `expectation`, `name` or `claim`. */
  readonly what: 'caller' | 'expectation' | 'name' | 'claim'
  readonly who: string
  readonly says: string
}

const metadataOf = (object: ApiObject): Json => record(object.metadata)
const specOf = (object: ApiObject): Json => record(record(object)['spec'])
const namespaceOf = (object: ApiObject): string =>
  text(metadataOf(object)['namespace']) || 'default'
const nameOf = (object: ApiObject): string => text(metadataOf(object)['name'])
const named = (object: ApiObject): string => `${namespaceOf(object)}/${nameOf(object)}`

/** The pods that stand for a subject: its own, those on a node, those behind a workload. */
function podsOf(subject: string, objects: readonly ApiObject[]): readonly ApiObject[] {
  const [kind = '', first = '', second = ''] = subject.split('/')
  const pods = objects.filter((object) => object.kind === 'Pod')
  if (kind === 'cluster') return pods
  if (kind === 'node') return pods.filter((pod) => specOf(pod)['nodeName'] === first)
  if (kind === 'pod') return pods.filter((pod) => named(pod) === `${first}/${second}`)
  return podsOfWorkload(objects, `${first}/${second}`)
}

/** Those who would notice, each once: at most so many of a kind as a page can show. */
export function whoNotices(
  view: FleetView,
  cluster: string,
  subjects: readonly string[],
  objects: readonly ApiObject[],
  traffic: readonly TrafficView[],
): readonly Noticing[] {
  const isWhole = subjects.includes('cluster')
  const pods = subjects.flatMap((subject) => podsOf(subject, objects))
  const services = objects.filter((object) => {
    if (object.kind !== 'Service') return false
    if (subjects.includes(`service/${named(object)}`)) return true
    const selector = Object.entries(record(specOf(object)['selector']))
    return (
      selector.length > 0 &&
      pods.some(
        (pod) =>
          namespaceOf(pod) === namespaceOf(object) &&
          selector.every(([key, value]) => record(metadataOf(pod)['labels'])[key] === value),
      )
    )
  })
  const names = new Set(services.map(named))
  const callers = traffic
    // Who goes with the cluster does not notice that it goes.
    .filter(({ from, to }) => names.has(to) && !(isWhole && from.includes('/')))
    .map(({ from, to, port }): Noticing => ({
      what: 'caller',
      who: from,
      says: `calls ${to} on port ${port}`,
    }))
  const expected = (view.expectations ?? [])
    .filter(
      // What is not to arrive does not arrive at what is gone either.
      ({ to, delivered }) =>
        delivered &&
        to['cluster'] === cluster &&
        (names.has(to['service'] ?? '') || pods.some((pod) => named(pod) === to['pod'])),
    )
    .map(({ name, port }): Noticing => ({
      what: 'expectation',
      who: name,
      says: `expects an answer on port ${port}`,
    }))
  const claims = pods.flatMap((pod) =>
    records(specOf(pod)['volumes']).flatMap((volume): readonly Noticing[] => {
      const claim = text(record(volume['persistentVolumeClaim'])['claimName'])
      return claim === ''
        ? []
        : [
            {
              what: 'claim',
              who: `${namespaceOf(pod)}/${claim}`,
              says: `is mounted by ${nameOf(pod)}`,
            },
          ]
    }),
  )
  const site = view.sites.find(
    (each) => each.name === view.clusters.find(({ name }) => name === cluster)?.site,
  )
  const leading = isWhole
    ? (site?.records ?? [])
        .filter(({ name }) => name.includes(cluster))
        .map(({ name, value }): Noticing => ({
          what: 'name',
          who: name,
          says: `leads to ${value}`,
        }))
    : []
  const seen = new Set<string>()
  return [...callers, ...expected, ...leading, ...claims].filter(({ what, who, says }) => {
    const key = `${what} ${who} ${says}`
    return !seen.has(key) && seen.add(key)
  })
}
