/**
 * What the API of a stand-in cluster serves, told as differences: whoever keeps a copy asks what has changed since. Objects
 * get what every object of the open API has (uid, time of creation, owners by uid) and keep it for as long as they live.
 */
import { createHash } from 'node:crypto'
import { list, record, text } from '~/core/objects'
import { isoTime } from '~/core/units'
import { derivedFrom, finished } from './served-fields'
import { eventsOf, objectsOf, type Simulator } from '~/standin'

export interface ServedChanges {
  /** How far the copy is once it has taken these. */
  readonly version: number
  /** Key and text (JSON) of objects that are new or other than before. */
  readonly changed: readonly (readonly [string, string])[]
  readonly gone: readonly string[]
}

type Json = Readonly<Record<string, unknown>>

const keyOf = (object: Json): string => {
  const metadata = record(object['metadata'])
  return `${text(object['kind'])}/${text(metadata['namespace'])}/${text(metadata['name'])}`
}

const uidOf = (of: string): string => {
  const hex = createHash('sha1').update(of).digest('hex')
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-5${hex.slice(13, 16)}-8${hex.slice(17, 20)}-${hex.slice(20, 32)}`
}

/** Kinds that events are about, as the API writes them. */
const kindNames: Readonly<Record<string, string>> = {
  cronjob: 'CronJob',
  daemonset: 'DaemonSet',
  persistentvolumeclaim: 'PersistentVolumeClaim',
  replicaset: 'ReplicaSet',
  statefulset: 'StatefulSet',
  horizontalpodautoscaler: 'HorizontalPodAutoscaler',
}
const kindName = (lower: string): string =>
  kindNames[lower] ?? `${lower.slice(0, 1).toUpperCase()}${lower.slice(1)}`

function eventObjects(sim: Simulator, cluster: string): readonly Json[] {
  const seen = new Map<string, number>()
  return eventsOf(sim, cluster).map((event) => {
    const [kind = '', ...rest] = event.about.split('/')
    const [namespace, name] =
      rest.length > 1 ? [rest[0] ?? '', rest.slice(1).join('/')] : ['', rest[0] ?? '']
    const at = isoTime(Date.parse(event.at))
    const what = `${event.about} ${event.reason} ${event.at}`
    const nth = seen.get(what) ?? 0
    seen.set(what, nth + 1)
    const id = createHash('sha1').update(`${what} ${nth}`).digest('hex').slice(0, 16)
    return {
      apiVersion: 'v1',
      kind: 'Event',
      metadata: {
        name: `${name === '' ? cluster : name}.${id}`,
        namespace: namespace === '' || kind === 'node' ? 'default' : namespace,
        creationTimestamp: at,
      },
      involvedObject: {
        kind: kindName(kind),
        name,
        ...(namespace === '' || kind === 'node' ? {} : { namespace }),
      },
      reason: event.reason,
      message: event.message,
      type: event.type,
      source: { component: 'cluster' },
      firstTimestamp: at,
      lastTimestamp: at,
      count: 1,
    }
  })
}

export class ServedObjects {
  private version = 0
  private texts = new Map<string, string>()
  /** The version at which a key was last changed or went. */
  private readonly changedAt = new Map<string, number>()

  /** What differs from a copy at `since`; 0 for none. Null while the API does not answer. */
  changes(sim: Simulator, cluster: string, since: number): ServedChanges | null {
    const created = sim.cluster(cluster)?.createdAt ?? 0
    const objects = objectsOf(sim, cluster, { isWhole: true })
    if (objects === null) return null
    this.version++
    const texts = new Map<string, string>()
    for (const [key, object] of this.complete(sim, cluster, created, objects)) {
      const body = JSON.stringify(object)
      texts.set(key, body)
      if (this.texts.get(key) !== body) this.changedAt.set(key, this.version)
    }
    for (const key of this.texts.keys()) if (!texts.has(key)) this.changedAt.set(key, this.version)
    this.texts = texts
    const stirred = [...this.changedAt].filter(([, at]) => at > since).map(([key]) => key)
    return {
      version: this.version,
      changed:
        since === 0
          ? [...texts]
          : stirred.flatMap((key) => {
              const body = texts.get(key)
              return body === undefined ? [] : [[key, body] as const]
            }),
      gone: since === 0 ? [] : stirred.filter((key) => !texts.has(key)),
    }
  }

  private complete(
    sim: Simulator,
    cluster: string,
    created: number,
    objects: readonly Json[],
  ): ReadonlyMap<string, Json> {
    const all = [...objects, ...eventObjects(sim, cluster)]
    const uids = new Map<string, string>()
    const completed = new Map<string, Json>()
    for (const object of all) {
      const key = keyOf(object)
      const metadata = record(object['metadata'])
      const creationTimestamp = text(metadata['creationTimestamp']) || isoTime(created)
      const uid = text(metadata['uid']) || uidOf(`${cluster}\n${key}\n${creationTimestamp}`)
      uids.set(key, uid)
      completed.set(key, { ...object, metadata: { ...metadata, creationTimestamp, uid } })
    }
    const derived = derivedFrom(all)
    for (const [key, object] of completed) {
      const metadata = record(object['metadata'])
      const owners = list(metadata['ownerReferences']).map(record)
      const whole = owners.map((owner) => {
        const namespace = text(metadata['namespace'])
        const uid =
          uids.get(`${text(owner['kind'])}/${namespace}/${text(owner['name'])}`) ??
          uids.get(`${text(owner['kind'])}//${text(owner['name'])}`)
        return { ...owner, uid: text(owner['uid']) || (uid ?? uidOf(JSON.stringify(owner))) }
      })
      const withOwners =
        owners.length === 0
          ? object
          : { ...object, metadata: { ...metadata, ownerReferences: whole } }
      completed.set(key, finished(withOwners, sim.now, derived))
    }
    return completed
  }
}
