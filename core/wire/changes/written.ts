/** Change kinds that write a few objects into one cluster: what was there is written back when they are taken back. */
import { guardedCluster, listing, noCluster } from '../../changes'
import { command } from '../../contract'
import type { z } from 'zod'
import {
  type ChangeKind,
  longestPath,
  type Proof,
  type RawFinding,
  type Ref,
  ref,
  type Step,
} from '../../changes'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  listedObjects,
  withObjectList,
} from '../../fleet'
import { type ApiObject, fieldsOf, isIdentity } from '../../objects'
import { askRetry, step } from '../../provisioning/steps'
import { spendUnchanged } from '../../spend'
import { objectKey, type WrittenObject } from '../../manifests/parse'

export interface Writes<Intent> {
  readonly name: string
  readonly title: string
  readonly intent: z.ZodType<Intent>
  readonly cluster: (intent: Intent) => string
  readonly subject: (intent: Intent) => string
  readonly label: (intent: Intent) => string
  readonly check: (intent: Intent, cluster: ClusterView, view: FleetView) => readonly RawFinding[]
  /** What is written, and what is removed. */
  readonly puts: (intent: Intent, view: FleetView) => readonly WrittenObject[]
  readonly removes?: (intent: Intent, view: FleetView) => readonly WrittenObject[]
  readonly says: (intent: Intent) => string
  readonly more?: (intent: Intent, view: FleetView) => readonly Step[]
  readonly prove: (
    intent: Intent,
    objects: readonly ApiObject[],
    view: FleetView,
  ) => readonly Proof[]
}

/** A cluster’s objects with some written over and some gone. */
export function withObjects(
  view: FleetView,
  cluster: string,
  puts: readonly WrittenObject[],
  removes: readonly WrittenObject[] = [],
): FleetView {
  const gone = new Set([...puts, ...removes].map(objectKey))
  const kept = listedObjects(view, cluster).filter((object) => !gone.has(objectKey(object)))
  const cache = new Map(listedObjects(view, cluster).map((object) => [objectKey(object), object]))
  const merged = puts.map((object): ApiObject => {
    const before = cache.get(objectKey(object))
    return before
      ? { ...before, ...object, metadata: { ...before.metadata, ...object.metadata } }
      : object
  })
  return withObjectList(view, cluster, [...kept, ...merged])
}

export const objectsIn = (view: FleetView, cluster: string, kind: string): readonly ApiObject[] =>
  listedObjects(view, cluster).filter((object) => object.kind === kind)

export function objectNamed(
  view: FleetView,
  cluster: string,
  kind: string,
  key: string,
): ApiObject | undefined {
  return objectsIn(view, cluster, kind).find(
    (object) => `${object.metadata?.namespace ?? 'default'}/${object.metadata?.name ?? ''}` === key,
  )
}

/** Every field of what is written is meant, whoever wrote it before. */
const force = (objects: readonly WrittenObject[]): readonly string[] =>
  objects.flatMap((object) =>
    [...fieldsOf(object).keys()]
      .filter((path) => !isIdentity(path))
      .map((path) => `${objectKey(object)} ${path}`),
  )

/** The steps that write and remove objects; each is taken back to what was there before it. */
function writeSteps(
  cluster: string,
  says: string,
  puts: readonly WrittenObject[],
  removes: readonly WrittenObject[],
): readonly Step[] {
  const writing = (id: string, command: Step['command']): Step =>
    step({
      id,
      after: [],
      group: cluster,
      says,
      command,
      undo: undoing(cluster, id),
      seconds: { likely: 4, worst: 15 },
      retry: askRetry,
    })
  const write = command('objects.apply', {
    cluster,
    objects: puts,
    manager: 'gyrarch',
    force: force(puts),
  })
  const remove = command('objects.remove', { cluster, objects: removes })
  return [
    ...(puts.length > 0 ? [writing('write', write)] : []),
    ...(removes.length > 0 ? [writing('remove', remove)] : []),
  ]
}

const undoing = (cluster: string, id: string) =>
  command('objects.put-back', { cluster, before: { $from: id, path: 'before' } })

const refOf = (cluster: string, { kind, metadata }: WrittenObject): Ref =>
  ref(
    kind.toLowerCase(),
    cluster,
    ...(metadata.namespace === undefined ? [] : [metadata.namespace]),
    metadata.name,
  )

/** A change kind whose work is objects written to a cluster, or removed from it. */
export function writes<Intent>(of: Writes<Intent>): ChangeKind<Intent> {
  const removes = (intent: Intent, view: FleetView): readonly WrittenObject[] =>
    of.removes?.(intent, view) ?? []
  return {
    name: of.name,
    title: of.title,
    intent: of.intent,
    needs: (intent) => [
      `cluster:${of.cluster(intent)}`,
      `objects:${of.cluster(intent)}`,
      `walks:cluster/${of.cluster(intent)}`,
    ],
    subjects: (intent) => [of.subject(intent)],
    guardedBy: (intent, view) => guardedCluster(of.cluster(intent), view),
    label: of.label,
    check: (intent, view) => {
      const name = of.cluster(intent)
      const cluster = clusterOf(view, name)
      if (!cluster) return [noCluster(name, view)]
      const silent = listing(cluster, view)
      return silent.length > 0 ? silent : of.check(intent, cluster, view)
    },
    plan: (intent, view) => {
      const name = of.cluster(intent)
      const puts = of.puts(intent, view)
      const gone = removes(intent, view)
      const steps = [
        ...writeSteps(name, of.says(intent), puts, gone),
        ...(of.more?.(intent, view) ?? []),
      ]
      return {
        steps,
        creates: [],
        alters: puts.map((object) => refOf(name, object)),
        removes: gone.map((object) => refOf(name, object)),
        ...longestPath(steps),
        spend: spendUnchanged(view, name),
        reserves: [],
      }
    },
    after: (intent, view) =>
      withObjects(view, of.cluster(intent), of.puts(intent, view), removes(intent, view)),
    prove: (intent, view) => of.prove(intent, listedObjects(view, of.cluster(intent)), view),
  }
}
