/** Manifests applied to a cluster, and objects removed from it: `manifest.apply`, `manifest.remove`. */
import { guardedCluster, noCluster } from '../changes'
import { quoted } from '../contract'
import { command } from '../contract'
import { z } from 'zod'
import type { ChangeKind, Plan, Proof, RawFinding, Step } from '../changes'
import { longestPath, ref, stop } from '../changes'
import type { ClusterView, FleetView } from '../fleet'
import { clusterOf, siteOf, objectsHeard, listedObjects } from '../fleet'
import type { ApiObject } from '../objects'
import { fieldsOf, fieldText, isIdentity, withFields } from '../objects'
import { step } from '../provisioning/steps'
import { siteSpend } from '../spend'
import { countText, listText } from '../units'
import { portCollisions, virtualAddressFor } from '../wire'
import type { ObjectChange } from './diff'
import { changeOf, without } from './diff'
import type { ParsedManifests, WrittenObject } from './parse'
import { isClusterWide, objectKey, objectText, parseManifests, tidied } from './parse'
import { referencesOf, wantedNodeLabels } from './references'
import { invalidities, knownKinds } from './validate'
import { said } from './says'

/** The name under which Gyrarch writes fields. */
export const ownManager = 'gyrarch'

export const applyIntent = z.strictObject({
  cluster: z.string().max(253),
  text: z.string().max(8 * 1024 * 1024),
  /** In whose name fields are written; files of a team and edits by hand are told apart by it. */
  manager: z
    .string()
    .max(128)
    .regex(/^[a-z0-9][-a-z0-9.]*$/, 'Small letters, digits, - and dots.')
    .default(ownManager),
  /** For fields that somebody else wrote: keep theirs, or take ours. By object and path. */
  resolve: z.record(z.string().max(2000), z.enum(['keep', 'take'])).default({}),
})

export type ApplyIntent = z.infer<typeof applyIntent>

/** Annotations of a namespace: what its pods and claims may use, names parted by commas. */
export const sizeAllowance = 'gyrarch/machine-sizes'
export const storageAllowance = 'gyrarch/storage-classes'

const parsed = new WeakMap<ApplyIntent, ParsedManifests>()

/** The documents of an intent; read once. */
export function documentsOf(intent: ApplyIntent): ParsedManifests {
  const known = parsed.get(intent)
  if (known) return known
  const read = parseManifests(intent.text)
  parsed.set(intent, read)
  return read
}

const byKey = new WeakMap<readonly ApiObject[], ReadonlyMap<string, ApiObject>>()

/** Live objects by `Kind/namespace/name`. */
export function liveObjects(view: FleetView, cluster: string): ReadonlyMap<string, ApiObject> {
  const list = listedObjects(view, cluster)
  const known = byKey.get(list)
  if (known) return known
  const map = new Map(list.map((object) => [objectKey(object), object]))
  byKey.set(list, map)
  return map
}

const conflictKey = (change: ObjectChange, path: string): string => `${change.key} ${path}`

/** What an apply would do to each object, with the choices made about conflicts. */
export function changesOf(intent: ApplyIntent, view: FleetView): readonly ObjectChange[] {
  const live = liveObjects(view, intent.cluster)
  return documentsOf(intent).documents.map(({ object }) => {
    const change = changeOf(object, live.get(objectKey(object)), intent.manager)
    const kept = change.conflicts
      .filter((field) => intent.resolve[conflictKey(change, field.path)] === 'keep')
      .map((field) => field.path)
    if (kept.length === 0) return change
    return changeOf(without(object, kept), live.get(change.key), intent.manager)
  })
}

const rolling = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'Job'])

const pointer = (text: string): string => text.replaceAll('~', '~0').replaceAll('/', '~1')
const shown = (value: unknown): string => {
  let text: string
  if (value === undefined) text = 'nothing'
  else if (typeof value === 'string') text = value
  else text = JSON.stringify(value)
  return text.length > 60 ? `${text.slice(0, 57)}…` : text
}

export function known(
  cluster: string,
  view: FleetView,
): { readonly cluster: ClusterView } | { readonly finding: RawFinding } {
  const found = clusterOf(view, cluster)
  if (!found) return { finding: noCluster(cluster, view) }
  if (found.resting)
    return {
      finding: stop(
        'cluster.rests',
        'cluster',
        said('cluster.rests', { cluster }),
        [],
        [{ says: `Start ${cluster}`, change: { kind: 'cluster.start', intent: { cluster } } }],
      ),
    }
  if (!found.apiAnswers || objectsHeard(view, cluster) === undefined)
    return {
      finding: {
        level: 'stop',
        rule: 'cluster.answers',
        about: ref('cluster', cluster),
        ...said('cluster.answers', { cluster }),
        because: [{ ...said('no-answer'), source: cluster, at: found.observedAt }],
      },
    }
  return { cluster: found }
}

/** Findings about the text itself: by line, most of them at once. */
function textFindings(read: ParsedManifests): readonly RawFinding[] {
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

function conflictFindings(
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
              shown: shown(field.wanted),
              owner: field.owner ?? 'somebody',
              shown2: shown(field.live),
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
            shown: shown(field.live),
            owner: field.owner ?? 'somebody',
            shown2: shown(field.wanted),
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
function referenceFindings(
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
  const others = (has: (other: ClusterView) => boolean): readonly string[] =>
    view.clusters.filter((other) => other !== cluster && has(other)).map((other) => other.name)
  const missing = new Map<string, WrittenObject[]>()
  for (const object of objects) {
    const { namespace } = object.metadata
    if (namespace !== undefined && !isClusterWide(object.kind) && !namespaces.has(namespace))
      missing.set(namespace, [...(missing.get(namespace) ?? []), object])
  }
  for (const [namespace, wanting] of missing) {
    const elsewhere = others((other) => other.namespaces.includes(namespace))
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
    if (pool !== undefined && !cluster.pools.some((one) => one.name === pool)) {
      const elsewhere = others((other) => other.pools.some((one) => one.name === pool))
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
            ...said('pools', { pools: cluster.pools.map((one) => one.name) }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      })
    }
  }
  return findings
}

/** Ports of nodes that are taken, and the virtual addresses that services would get. */
function wiringFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const standing = listedObjects(view, intent.cluster)
  const live = liveObjects(view, intent.cluster)
  const findings: RawFinding[] = []
  for (const object of objects) {
    const others = objects.filter((other) => other !== object)
    const hits = portCollisions(object as unknown as ApiObject, [
      ...standing,
      ...(others as unknown as readonly ApiObject[]),
    ])
    if (hits.length > 0)
      findings.push({
        level: 'caution',
        rule: `ports.${objectKey(object)}`,
        field: 'text',
        ...said('wants-nodes-no', {
          objectText: objectText(object),
          set: [...new Set(hits.map((hit) => hit.port))],
          set2: [...new Set(hits.map((hit) => hit.with))],
          size: new Set(hits.map((hit) => hit.with)).size,
        }),
        because: [{ ...said('host-ports-compared'), source: cluster.name, at: cluster.observedAt }],
      })
    const spec = object['spec'] as { type?: string; loadBalancerIP?: string } | undefined
    const site = siteOf(view, cluster.site)
    const key = `${object.metadata.namespace ?? 'default'}/${object.metadata.name}`
    if (
      object.kind !== 'Service' ||
      spec?.type !== 'LoadBalancer' ||
      !site ||
      site.balancers.some((one) => one.cluster === cluster.name && one.service === key)
    )
      continue
    if (
      (live.get(objectKey(object)) as { spec?: { type?: string } } | undefined)?.spec?.type ===
      'LoadBalancer'
    )
      continue
    const found = virtualAddressFor(site, cluster.name, spec.loadBalancerIP ?? null)
    findings.push(
      found.ok
        ? {
            level: 'note',
            rule: `virtual.${objectKey(object)}`,
            field: 'text',
            ...said('reached', { key, address: found.address }),
            because: [
              {
                ...(spec.loadBalancerIP === undefined
                  ? said('lowest-free-address')
                  : said('address-asked-free')),
                source: site.name,
                at: site.observedAt,
              },
            ],
          }
        : {
            level: 'caution',
            rule: `virtual.${objectKey(object)}`,
            field: 'text',
            ...said('wait-virtual-address', { key, values: found.says }),
            because: [
              {
                ...said('balancers', { balancersCount: site.balancers.length }),
                source: site.name,
                at: site.observedAt,
              },
            ],
          },
    )
  }
  return findings
}

/** What the namespaces of the objects allow, as their annotations say. */
function allowanceFindings(
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
      objects.find((other) => other.kind === 'Namespace' && other.metadata.name === namespace) ??
      live.get(objectKey({ kind: 'Namespace', metadata: { name: namespace } }))
    const allowed = (annotation: string): readonly string[] | null => {
      const said = (
        own?.metadata as { readonly annotations?: Readonly<Record<string, string>> } | undefined
      )?.annotations?.[annotation]
      return said === undefined
        ? null
        : said
            .split(',')
            .map((one) => one.trim())
            .filter((one) => one !== '')
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

function check(intent: ApplyIntent, view: FleetView): readonly RawFinding[] {
  const target = known(intent.cluster, view)
  if ('finding' in target) return [target.finding]
  const read = documentsOf(intent)
  const objects = read.documents.map(({ object }) => object)
  const findings: RawFinding[] = [...textFindings(read)]
  for (const { object, line } of read.documents) {
    // A part of an object is judged as the whole that it makes with what lives.
    const live = liveObjects(view, intent.cluster).get(objectKey(object))
    const whole = live
      ? withFields(
          tidied(live as unknown as WrittenObject),
          [],
          [...fieldsOf(object)].filter(([path]) => !isIdentity(path)),
        )
      : object
    for (const wrong of invalidities({ ...whole, apiVersion: object.apiVersion }))
      findings.push(
        stop(
          `invalid.${objectKey(object)}.${wrong.path}`,
          'text',
          said('field-wrong', {
            objectText: objectText(object),
            line,
            path: wrong.path,
            wrong: wrong.says,
          }),
          [
            {
              ...said('document-line', { path: wrong.path, line }),
              source: 'the open API’s rules',
            },
          ],
        ),
      )
    if (!knownKinds.has(object.kind))
      findings.push({
        level: 'caution',
        rule: `kind.${objectKey(object)}`,
        field: 'text',
        ...said('no-kind-gyrarch', { kind: object.kind, apiVersion: object.apiVersion }),
        because: [{ ...quoted('api-version', object.apiVersion), source: 'the text' }],
      })
  }
  const changes = changesOf(intent, view)
  findings.push(
    ...conflictFindings(intent, changes, view),
    ...referenceFindings(intent, objects, target.cluster, view),
    ...allowanceFindings(intent, objects, target.cluster, view),
    ...wiringFindings(intent, objects, target.cluster, view),
  )
  if (changes.length > 0 && changes.every((change) => change.kind === 'same'))
    findings.push({
      level: 'note',
      rule: 'nothing',
      field: 'text',
      ...said('nothing', { cluster: intent.cluster }),
      because: [
        {
          ...said('objects-compared-field', { changesCount: changes.length }),
          source: intent.cluster,
          at: target.cluster.observedAt,
        },
      ],
    })
  return findings
}

/** Whether an object’s pods are made anew, or more of them. */
const rolls = (change: ObjectChange): boolean =>
  rolling.has(change.object.kind) &&
  (change.kind === 'make' ||
    change.fields.some(
      (field) => field.path.startsWith('/spec/template/') || field.path === '/spec/replicas',
    ))

export const refOf = (cluster: string, object: WrittenObject): string =>
  ref(
    object.kind.toLowerCase(),
    cluster,
    ...(object.metadata.namespace === undefined ? [] : [object.metadata.namespace]),
    object.metadata.name,
  )

const replicasOf = (object: WrittenObject): number => {
  const spec = object['spec']
  const replicas =
    typeof spec === 'object' && spec !== null && 'replicas' in spec ? spec.replicas : undefined
  return typeof replicas === 'number' ? replicas : 1
}

/** The step that waits until a workload’s pods are what is meant. */
export function rolloutStep(
  cluster: string,
  object: {
    readonly kind: string
    readonly metadata: { readonly name: string; readonly namespace?: string }
  },
  replicas: number,
  after: readonly string[],
): Step {
  const namespace = object.metadata.namespace ?? 'default'
  return step({
    id: `rollout:${object.kind}/${namespace}/${object.metadata.name}`,
    after,
    group: object.metadata.name,
    says: `${countText(replicas, 'pod')} made anew and ready`,
    command: command('rollout.await', {
      cluster,
      kind: object.kind,
      namespace,
      name: object.metadata.name,
    }),
    seconds: { likely: 25 + 20 * Math.max(1, replicas), worst: 90 + 60 * Math.max(1, replicas) },
    retry: { attempts: 1, firstSeconds: 10, mostSeconds: 10 },
  })
}

export function spendOf(
  view: FleetView,
  cluster: string,
): { readonly before: number; readonly after: number } {
  const site = siteOf(view, clusterOf(view, cluster)?.site ?? '')
  const spend = site ? siteSpend(site).perMonth : 0
  return { before: spend, after: spend }
}

function plan(intent: ApplyIntent, view: FleetView): Plan {
  const changes = changesOf(intent, view).filter((change) => change.kind !== 'same')
  const force = changes.flatMap((change) =>
    change.conflicts
      .filter((field) => intent.resolve[conflictKey(change, field.path)] === 'take')
      .map((field) => conflictKey(change, field.path)),
  )
  const steps: Step[] = []
  if (changes.length > 0) {
    steps.push(
      step({
        id: 'apply',
        after: [],
        group: intent.cluster,
        says: `${countText(changes.length, 'object')} written, all or none`,
        command: command('objects.apply', {
          cluster: intent.cluster,
          manager: intent.manager,
          objects: changes.map((change) => change.object),
          force,
        }),
        undo: command('objects.put-back', {
          cluster: intent.cluster,
          before: { $from: 'apply', path: 'before' },
        }),
        seconds: { likely: 4, worst: 12 },
        retry: { attempts: 3, firstSeconds: 5, mostSeconds: 20 },
      }),
    )
    for (const change of changes.filter(rolls))
      steps.push(rolloutStep(intent.cluster, change.object, replicasOf(change.object), ['apply']))
  }
  return {
    steps,
    creates: changes
      .filter((change) => change.kind === 'make')
      .map((change) => refOf(intent.cluster, change.object)),
    alters: changes
      .filter((change) => change.kind === 'change')
      .map((change) => refOf(intent.cluster, change.object)),
    removes: [],
    ...longestPath(steps),
    spend: spendOf(view, intent.cluster),
    reserves: [],
  }
}

function prove(intent: ApplyIntent, view: FleetView): readonly Proof[] {
  return changesOf(intent, view).map((change) => {
    let observed: string
    if (change.kind === 'make') observed = 'not there'
    else if (change.kind === 'same') observed = `${intent.cluster} lists every field of it`
    else
      observed = `differs at ${listText(
        change.fields.map((field) => fieldText(field.path)),
        3,
      )}`
    return {
      says: `${objectText(change.object)} is as written`,
      holds: change.kind === 'same',
      observed,
    }
  })
}

export const manifestApply: ChangeKind<ApplyIntent> = {
  name: 'manifest.apply',
  title: 'Apply manifests',
  intent: applyIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) =>
    documentsOf(intent).documents.map(({ object }) => refOf(intent.cluster, object)),
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => {
    const { documents } = documentsOf(intent)
    const first = documents[0]
    return `apply ${documents.length === 1 && first ? objectText(first.object) : countText(documents.length, 'object')} to ${intent.cluster || 'a cluster'}`
  },
  check,
  plan,
  prove,
}

export { known as writableCluster, spendOf as spendUnchanged }
