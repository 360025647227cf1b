/** What stands against applying: the text, other owners, what is named and not there, the wiring, allowances. */

import { type RawFinding, stop } from '../changes'
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

/** What is named and is nowhere; and where it is instead. */
export function referenceFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = liveObjects(view, intent.cluster)
  const here = new Set([...live.keys(), ...objects.map(objectKey)])
  const namespaces = new Set([
    ...cluster.namespaces,
    ...objects
      .filter((object) => object.kind === 'Namespace')
      .map((object) => object.metadata.name),
  ])
  const findings: RawFinding[] = []
  const others = (has: (otherCluster: ClusterView) => boolean): readonly string[] =>
    view.clusters
      .filter((otherCluster) => otherCluster !== cluster && has(otherCluster))
      .map((otherCluster) => otherCluster.name)
  const missing = new Map<string, WrittenObject[]>()
  for (const object of objects) {
    const { namespace } = object.metadata
    if (namespace !== undefined && !isClusterWide(object.kind) && !namespaces.has(namespace))
      missing.set(namespace, [...(missing.get(namespace) ?? []), object])
  }
  for (const [namespace, wanting] of missing) {
    const elsewhere = others((otherCluster) => otherCluster.namespaces.includes(namespace))
    const meant =
      elsewhere.length > 0
        ? ` ${elsewhere.length === 1 ? `This looks meant for ${elsewhere[0] ?? ''}.` : `${listText(elsewhere)} have one.`}`
        : ''
    findings.push(
      stop(
        `namespace.${namespace}`,
        'text',
        said('no-namespace', {
          cluster: cluster.name,
          namespace,
          wantingCount: wanting.length,
          meant,
        }),
        [
          {
            ...said('namespaces', { namespaces: cluster.namespaces }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
        [
          {
            says: `Make the namespace ${namespace} along with it`,
            change: {
              patchDraft: [
                {
                  op: 'replace',
                  path: '/text',
                  value: `apiVersion: v1\nkind: Namespace\nmetadata:\n  name: ${namespace}\n---\n${intent.text}`,
                },
              ],
            },
          },
          ...(elsewhere.length === 1
            ? [
                {
                  says: `Aim it at ${elsewhere[0] ?? ''}`,
                  change: {
                    patchDraft: [
                      { op: 'replace' as const, path: '/cluster', value: elsewhere[0] ?? '' },
                    ],
                  },
                },
              ]
            : []),
        ],
      ),
    )
  }
  for (const object of objects) {
    for (const reference of referencesOf(object)) {
      if (
        here.has(
          objectKey({
            kind: reference.kind,
            metadata: { name: reference.name, namespace: reference.namespace },
          }),
        )
      )
        continue
      findings.push({
        level: 'caution',
        rule: `reference.${objectKey(object)}.${reference.path}`,
        field: 'text',
        ...said('names-does-not', {
          objectText: objectText(object),
          kind: reference.kind,
          reference: reference.name,
          path: reference.path,
          cluster: cluster.name,
          namespace: reference.namespace,
        }),
        because: [
          {
            ...said('reference-missing', { kind: reference.kind, reference: reference.name }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      })
    }
    const pool = wantedNodeLabels(object)['gyrarch/pool']
    if (pool !== undefined && !cluster.pools.some((candidate) => candidate.name === pool)) {
      const elsewhere = others((otherCluster) =>
        otherCluster.pools.some((candidate) => candidate.name === pool),
      )
      findings.push({
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
        because: [
          {
            ...said('pools', { pools: cluster.pools.map((eachPool) => eachPool.name) }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      })
    }
  }
  return findings
}

/** What the namespaces of the objects allow, as their annotations say. */
export function allowanceFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = liveObjects(view, intent.cluster)
  const findings: RawFinding[] = []
  const because = (namespace: string, annotation: string) => [
    {
      ...said('annotation-namespace', { annotation, namespace }),
      source: cluster.name,
      at: cluster.observedAt,
    },
  ]
  for (const object of objects) {
    const namespace = object.metadata.namespace ?? 'default'
    const own =
      objects.find(
        (writtenObject) =>
          writtenObject.kind === 'Namespace' && writtenObject.metadata.name === namespace,
      ) ?? live.get(objectKey({ kind: 'Namespace', metadata: { name: namespace } }))
    const allowed = (annotation: string): readonly string[] | null => {
      const said = (
        own?.metadata as { readonly annotations?: Readonly<Record<string, string>> } | undefined
      )?.annotations?.[annotation]
      return said === undefined
        ? null
        : said
            .split(',')
            .map((name) => name.trim())
            .filter((trim) => trim !== '')
    }
    const classes = object.kind === 'PersistentVolumeClaim' ? allowed(storageAllowance) : null
    const named = (object['spec'] as { storageClassName?: string } | undefined)?.storageClassName
    if (classes && named !== undefined && !classes.includes(named))
      findings.push(
        stop(
          `class.${objectKey(object)}`,
          'text',
          said('wants-storage-class', {
            objectText: objectText(object),
            named,
            namespace,
            classes,
          }),
          because(namespace, storageAllowance),
        ),
      )
    const sizes = rolling.has(object.kind) ? allowed(sizeAllowance) : null
    if (!sizes) continue
    const there = new Set(cluster.pools.map((pool) => pool.size))
    if (!sizes.some((size) => there.has(size)))
      findings.push(
        stop(
          `sizes.${objectKey(object)}`,
          'text',
          said('namespace-may-use', {
            namespace,
            sizes,
            cluster: cluster.name,
            objectText: objectText(object),
          }),
          because(namespace, sizeAllowance),
        ),
      )
    else
      findings.push({
        level: 'note',
        rule: `sizes.${objectKey(object)}`,
        field: 'text',
        ...said('kept-machines-what', { objectText: objectText(object), sizes, namespace }),
        because: because(namespace, sizeAllowance),
      })
  }
  return findings
}
