/** What stands against applying: the text, other owners, what is named and not there, the wiring, allowances. */

import { type Fact, type RawFinding, stop } from '../changes'
import type { Said } from '../contract'
import { type ApiObject, record, writeYaml } from '../objects'
import type { ObjectChange } from './diff'
import { type ApplyIntent, conflictKey, liveObjects, pointer, shown } from './apply-intent'
import { type ClusterView, type FleetView, clusterOf } from '../fleet'
import type { ParsedManifests } from './parse'
import { objectKey, isClusterWide, objectText, type WrittenObject } from './parse'
import { said } from './says'
import { listText } from '../units'
import { referencesOf, wantedNodeLabels } from './references'
import { rolling } from './apply-intent'
import { sizeAllowance, storageAllowance } from './allowances'

/** Findings about the text itself: by line, most of them at once. */
export function textFindings(read: ParsedManifests): readonly RawFinding[] {
  const problems = read.problems.map((problem, i): RawFinding =>
    stop(
      `text.${i}`,
      'text',
      said('line-column', { line: problem.line, column: problem.column, problem: problem.says }),
      [{ ...said('line', { line: problem.line }), source: 'the text' }],
    ),
  )
  if (read.documents.length === 0 && problems.length === 0)
    return [stop('text.empty', 'text', said('text.empty'))]
  return problems
}

export function conflictFindings(
  intent: ApplyIntent,
  changes: readonly ObjectChange[],
  view: FleetView,
): readonly RawFinding[] {
  return changes.flatMap((change) =>
    change.conflicts.flatMap((field): readonly RawFinding[] => {
      const key = conflictKey(change, field.path)
      const choose = (how: 'keep' | 'take') => ({
        patchDraft: [{ op: 'add' as const, path: `/resolve/${pointer(key)}`, value: how }],
      })
      if (intent.resolve[key] === 'take') {
        return [
          {
            level: 'caution',
            rule: `conflict.taken.${key}`,
            field: 'resolve',
            ...said('overwrites', {
              objectText: objectText(change.object),
              path: field.path,
              wanted: shown(field.wanted),
              owner: field.owner ?? 'somebody',
              current: shown(field.live),
            }),
            because: [{ ...said('written', { owner: field.owner ?? '' }), source: intent.cluster }],
          },
        ]
      }
      return [
        {
          level: 'stop',
          rule: `conflict.${key}`,
          field: 'resolve',
          ...said('conflicts', {
            objectText: objectText(change.object),
            path: field.path,
            current: shown(field.live),
            owner: field.owner ?? 'somebody',
            wanted: shown(field.wanted),
          }),
          because: [
            {
              ...said('field-owner', { path: field.path, owner: field.owner ?? '' }),
              source: `${intent.cluster}, field owners`,
              at: clusterOf(view, intent.cluster)?.observedAt ?? view.now,
            },
          ],
          offers: [
            { says: `Keep theirs: ${shown(field.live)}`, change: choose('keep') },
            { says: `Take ours: ${shown(field.wanted)}`, change: choose('take') },
          ],
        },
      ]
    }),
  )
}

const otherClusters = (
  view: FleetView,
  cluster: ClusterView,
  has: (candidate: ClusterView) => boolean,
): readonly string[] =>
  view.clusters
    .filter((candidate) => candidate !== cluster && has(candidate))
    .map((candidate) => candidate.name)

const observed = (fact: Said, cluster: ClusterView): Fact => ({
  ...fact,
  source: cluster.name,
  at: cluster.observedAt,
})

/** Where the objects seem meant for instead. */
function meantFor(clusters: readonly string[]): string {
  if (clusters.length === 0) return ''
  return clusters.length === 1
    ? ` This looks meant for ${clusters[0] ?? ''}.`
    : ` ${listText(clusters)} have one.`
}

/** A namespace that is neither in the cluster nor in the text: made along with it, or the aim was another. */
function namespaceFinding(
  namespace: string,
  wantingCount: number,
  intent: ApplyIntent,
  cluster: ClusterView,
  view: FleetView,
): RawFinding {
  const elsewhere = otherClusters(view, cluster, (candidate) =>
    candidate.namespaces.includes(namespace),
  )
  const replaced = (path: '/text' | '/cluster', value: string) => ({
    patchDraft: [{ op: 'replace' as const, path, value }],
  })
  const object = { apiVersion: 'v1', kind: 'Namespace', metadata: { name: namespace } }
  const made = `${writeYaml(object)}---\n${intent.text}`
  const offers = [
    { says: `Make the namespace ${namespace} along with it`, change: replaced('/text', made) },
    ...(elsewhere.length === 1 ? elsewhere : []).map((name) => ({
      says: `Aim it at ${name}`,
      change: replaced('/cluster', name),
    })),
  ]
  return stop(
    `namespace.${namespace}`,
    'text',
    said('no-namespace', {
      cluster: cluster.name,
      namespace,
      wantingCount,
      meant: meantFor(elsewhere),
    }),
    [observed(said('namespaces', { namespaces: cluster.namespaces }), cluster)],
    offers,
  )
}

/** How many of the objects lie in each namespace that is nowhere. */
function missingNamespaces(
  objects: readonly WrittenObject[],
  cluster: ClusterView,
): ReadonlyMap<string, number> {
  const written = objects
    .filter((object) => object.kind === 'Namespace')
    .map((object) => object.metadata.name)
  const existing = new Set([...cluster.namespaces, ...written])
  const missing = new Map<string, number>()
  for (const { kind, metadata } of objects) {
    const { namespace } = metadata
    if (namespace === undefined || isClusterWide(kind) || existing.has(namespace)) continue
    missing.set(namespace, (missing.get(namespace) ?? 0) + 1)
  }
  return missing
}

/** What an object refers to and is neither in the cluster nor in the text. */
const missingReferences = (
  object: WrittenObject,
  here: ReadonlySet<string>,
  cluster: ClusterView,
): readonly RawFinding[] =>
  referencesOf(object)
    .filter(
      ({ kind, name, namespace }) => !here.has(objectKey({ kind, metadata: { name, namespace } })),
    )
    .map(({ kind, name, namespace, path }) => ({
      level: 'caution',
      rule: `reference.${objectKey(object)}.${path}`,
      field: 'text',
      ...said('names-does-not', {
        objectText: objectText(object),
        kind,
        reference: name,
        path,
        cluster: cluster.name,
        namespace,
      }),
      because: [observed(said('reference-missing', { kind, reference: name }), cluster)],
    }))

/** A pool by whose label an object chooses its nodes, and which the cluster does not have. */
function missingPool(
  object: WrittenObject,
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const pool = wantedNodeLabels(object)['gyrarch/pool']
  const has = ({ pools }: ClusterView): boolean => pools.some(({ name }) => name === pool)
  if (pool === undefined || has(cluster)) return []
  const elsewhere = otherClusters(view, cluster, has)
  return [
    {
      level: 'caution',
      rule: `pool.${objectKey(object)}`,
      field: 'text',
      ...said('wants-nodes-pool', {
        objectText: objectText(object),
        pool,
        cluster: cluster.name,
        elsewhereCount: elsewhere.length,
        elsewhere: elsewhere[0] ?? '',
      }),
      because: [observed(said('pools', { pools: cluster.pools.map(({ name }) => name) }), cluster)],
    },
  ]
}

/** What is named and is nowhere; and where it is instead. */
export function referenceFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const here = new Set([...liveObjects(view, intent.cluster).keys(), ...objects.map(objectKey)])
  return [
    ...[...missingNamespaces(objects, cluster)].map(([namespace, count]) =>
      namespaceFinding(namespace, count, intent, cluster, view),
    ),
    ...objects.flatMap((object) => [
      ...missingReferences(object, here, cluster),
      ...missingPool(object, cluster, view),
    ]),
  ]
}

/** The names that an annotation of a namespace lists; null where it says nothing. */
function allowedBy(namespace: ApiObject | undefined, annotation: string): readonly string[] | null {
  const listed = record(record(namespace?.metadata)['annotations'])[annotation]
  if (typeof listed !== 'string') return null
  return listed
    .split(',')
    .map((name) => name.trim())
    .filter((name) => name !== '')
}

/** What the namespaces of the objects allow, as their annotations say. */
export function allowanceFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = liveObjects(view, intent.cluster)
  const sizesThere = new Set(cluster.pools.map((pool) => pool.size))
  return objects.flatMap((object) => {
    const namespace = object.metadata.namespace ?? 'default'
    const own =
      objects.find(({ kind, metadata }) => kind === 'Namespace' && metadata.name === namespace) ??
      live.get(objectKey({ kind: 'Namespace', metadata: { name: namespace } }))
    const because = (annotation: string) => [
      observed(said('annotation-namespace', { annotation, namespace }), cluster),
    ]
    const shown = { objectText: objectText(object), namespace }
    const findings: RawFinding[] = []
    const classes =
      object.kind === 'PersistentVolumeClaim' ? allowedBy(own, storageAllowance) : null
    const named = record(object['spec'])['storageClassName']
    if (classes && typeof named === 'string' && !classes.includes(named))
      findings.push(
        stop(
          `class.${objectKey(object)}`,
          'text',
          said('wants-storage-class', { ...shown, named, classes }),
          because(storageAllowance),
        ),
      )
    const sizes = rolling.has(object.kind) ? allowedBy(own, sizeAllowance) : null
    if (!sizes) return findings
    const isThere = sizes.some((size) => sizesThere.has(size))
    findings.push({
      level: isThere ? 'note' : 'stop',
      rule: `sizes.${objectKey(object)}`,
      field: 'text',
      ...(isThere
        ? said('kept-machines-what', { ...shown, sizes })
        : said('namespace-may-use', { ...shown, sizes, cluster: cluster.name })),
      because: because(sizeAllowance),
    })
    return findings
  })
}
