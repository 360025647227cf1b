/** Manifests as controllers read them: from what was written to what is run, and back. */
import { isSameTemplate, type Json, list, record, text } from '../../core/objects'
import { parseBytes, parseCpuMilli } from '../../core/units'
import type { Cluster, Manifest, Pod, Revision, Workload } from '../world'

export { list, record, text } from '../../core/objects'

const texts = (value: unknown): Readonly<Record<string, string>> =>
  Object.fromEntries(
    Object.entries(record(value)).filter(
      (entry): entry is [string, string] => typeof entry[1] === 'string',
    ),
  )

export const workloadKinds = [
  'Deployment',
  'ReplicaSet',
  'StatefulSet',
  'DaemonSet',
  'CronJob',
  'Job',
  'Pod',
] as const

export const isWorkloadKind = (kind: string): kind is Workload['kind'] =>
  (workloadKinds as readonly string[]).includes(kind)

/** Whether what is written is no pod itself and makes pods. */
export const makesPods = (kind: string): boolean => isWorkloadKind(kind) && kind !== 'Pod'

export const objectKey = (manifest: Manifest): string =>
  `${manifest.kind}/${manifest.metadata.namespace ?? ''}/${manifest.metadata.name}`

/** The extended resource by which graphics processors are asked for. */
export const gpuResource = 'fernhollow.example/gpu'

/** A short name for a template, equal for equal templates. */
export function hashOf(template: unknown): string {
  let hash = 0xcbf29ce484222325n
  for (const char of JSON.stringify(template))
    hash = ((hash ^ BigInt(char.codePointAt(0) ?? 0)) * 0x100000001b3n) & 0xffffffffffffffffn
  return hash.toString(36).slice(0, 9)
}

const amount = (given: unknown, read: typeof parseBytes): number => {
  const parsed = typeof given === 'string' || typeof given === 'number' ? read(String(given)) : null
  return parsed?.ok ? parsed.value : 0
}

/** What the containers of a template ask for together, limits standing in for requests that are missing. */
function askedBy(template: Json): { cpuMilli: number; memoryBytes: number; gpus: number } {
  const spec = record(template['spec'])
  const of = (container: unknown, resource: string, read: typeof parseBytes): number => {
    const resources = record(record(container)['resources'])
    return amount(
      record(resources['requests'])[resource] ?? record(resources['limits'])[resource],
      read,
    )
  }
  const sum = (resource: string, read: typeof parseBytes): number => {
    const running = list(spec['containers']).reduce(
      (total: number, container) => total + of(container, resource, read),
      0,
    )
    return Math.max(
      running,
      ...list(spec['initContainers']).map((container) => of(container, resource, read)),
    )
  }
  return {
    cpuMilli: sum('cpu', parseCpuMilli),
    memoryBytes: sum('memory', parseBytes),
    gpus: sum(gpuResource, parseBytes),
  }
}

/** The pod template inside a workload’s manifest. */
export function templateIn(manifest: Manifest): Json {
  if (manifest.kind === 'Pod') return { metadata: manifest.metadata, spec: manifest['spec'] }
  const spec = record(manifest['spec'])
  return record(
    manifest.kind === 'CronJob'
      ? record(record(spec['jobTemplate'])['spec'])['template']
      : spec['template'],
  )
}

/** A manifest with another pod specification inside. */
export function withPodSpec(manifest: Manifest, pod: Json): Manifest {
  if (manifest.kind === 'Pod') return { ...manifest, spec: pod }
  const spec = record(manifest['spec'])
  return { ...manifest, spec: { ...spec, template: { ...record(spec['template']), spec: pod } } }
}

const sizeText = (bytes: number): string => {
  if (bytes % 1024 ** 3 === 0) return `${bytes / 1024 ** 3}Gi`
  if (bytes % 1024 ** 2 === 0) return `${bytes / 1024 ** 2}Mi`
  return String(bytes)
}

/** The template that came with a workload nobody has written. */
function plainTemplate(workload: Workload): Json {
  const requests = {
    cpu: `${workload.cpuMilli}m`,
    memory: sizeText(workload.memoryBytes),
    ...(workload.gpus > 0 ? { [gpuResource]: String(workload.gpus) } : {}),
  }
  return {
    metadata: { labels: { app: workload.name } },
    spec: {
      serviceAccountName: workload.serviceAccount,
      ...(workload.pool === null ? {} : { nodeSelector: { 'gyrarch/pool': workload.pool } }),
      ...(workload.tolerations.length === 0
        ? {}
        : {
            tolerations: workload.tolerations.map(({ key, value }) => ({
              key,
              operator: 'Equal',
              value,
              effect: 'NoSchedule',
            })),
          }),
      containers: [
        {
          name: workload.name,
          image: workload.image,
          ...(workload.port === null ? {} : { ports: [{ containerPort: workload.port }] }),
          resources: { requests },
          ...(workload.volumes
            ? {
                volumeMounts: workload.volumes.map(({ name }) => ({
                  name,
                  mountPath: `/var/lib/${name}`,
                })),
              }
            : {}),
        },
      ],
      ...(workload.volumes && workload.kind !== 'StatefulSet'
        ? {
            volumes: workload.volumes.map(({ name, claim }) => ({
              name,
              persistentVolumeClaim: { claimName: claim ?? name },
            })),
          }
        : {}),
    },
  }
}

/** The template a pod was made from, or the one that is meant now. */
export function templateOf(workload: Workload, hash?: string): Json {
  const revision =
    hash === undefined ? undefined : workload.revisions?.find((revision) => revision.hash === hash)
  if (revision) return revision.template
  return workload.manifest ? templateIn(workload.manifest) : plainTemplate(workload)
}

export const currentTemplate = (workload: Workload): Json =>
  workload.revisions?.at(-1)?.template ?? templateOf(workload)

const hashes = new WeakMap<Workload, string>()

/** The hash of the template that is meant now, whether or not there was ever another. */
export function hashNow(workload: Workload): string {
  const newest = currentHash(workload)
  if (newest !== undefined) return newest
  const hash = hashes.get(workload) ?? hashOf(currentTemplate(workload))
  hashes.set(workload, hash)
  return hash
}

/** The hash that new pods bear: none while there was only ever one revision. */
export const currentHash = (workload: Workload): string | undefined =>
  workload.revisions?.at(-1)?.hash

/** Whether a pod is made from the template meant now; without revisions every one is. */
export const isCurrent = (workload: Workload, pod: Pod): boolean =>
  currentHash(workload) === undefined || pod.hash === currentHash(workload)

/** A workload as somebody would have written it. */
export function manifestOf(workload: Workload): Manifest {
  if (workload.manifest) return workload.manifest
  const metadata = {
    name: workload.name,
    namespace: workload.namespace,
    labels: { app: workload.name },
  }
  const template = plainTemplate(workload)
  const selector = { matchLabels: { app: workload.name } }
  switch (workload.kind) {
    case 'Pod':
      return { apiVersion: 'v1', kind: 'Pod', metadata, spec: template['spec'] }
    case 'CronJob':
      return {
        apiVersion: 'batch/v1',
        kind: 'CronJob',
        metadata,
        spec: {
          schedule: '0 1 * * *',
          timeZone: 'Europe/Berlin',
          jobTemplate: {
            spec: {
              template: {
                ...template,
                metadata: {
                  ...record(template['metadata']),
                  annotations: { 'gyrarch/run-seconds': '1500' },
                },
                spec: { ...record(template['spec']), restartPolicy: 'Never' },
              },
            },
          },
        },
      }
    case 'Job':
      return { apiVersion: 'batch/v1', kind: 'Job', metadata, spec: { template } }
    case 'DaemonSet':
      return { apiVersion: 'apps/v1', kind: 'DaemonSet', metadata, spec: { selector, template } }
    case 'StatefulSet':
      return {
        apiVersion: 'apps/v1',
        kind: 'StatefulSet',
        metadata,
        spec: {
          serviceName: workload.name,
          replicas: workload.replicas,
          selector,
          template,
          ...(workload.volumes
            ? {
                volumeClaimTemplates: workload.volumes.map((volume) => ({
                  metadata: { name: volume.name },
                  spec: {
                    accessModes: ['ReadWriteOnce'],
                    storageClassName: volume.class,
                    resources: { requests: { storage: String(volume.bytes) } },
                  },
                })),
              }
            : {}),
        },
      }
    case 'Deployment':
    case 'ReplicaSet':
      return {
        apiVersion: 'apps/v1',
        kind: workload.kind,
        metadata,
        spec: { replicas: workload.replicas, selector, template },
      }
  }
}

/** How many revisions a workload remembers besides the one meant now. */
const keptRevisions = 10

/** The workload a manifest asks for; a changed template is a new revision of the one before. */
export function workloadFrom(
  manifest: Manifest,
  at: number,
  before: Workload | undefined,
): Workload {
  const spec = record(manifest['spec'])
  const template = templateIn(manifest)
  const pod = record(template['spec'])
  const request = askedBy(template)
  const first = record(list(pod['containers'])[0])
  const kind = isWorkloadKind(manifest.kind) ? manifest.kind : 'Deployment'
  const tolerations = list(pod['tolerations']).map(record)
  const old = before ? currentTemplate(before) : undefined
  const changed = kind !== 'Pod' && old !== undefined && !isSameTemplate(old, template)
  const history: readonly Revision[] =
    before?.revisions ??
    (before && kind !== 'Pod'
      ? [{ number: 1, hash: hashNow(before), template: old ?? {}, at: before.createdAt }]
      : [])
  // Going back to an earlier template makes that revision the newest.
  const earlier = history.find((revision) => isSameTemplate(revision.template, template))
  const hash = earlier?.hash ?? hashOf(template)
  const number = (history.at(-1)?.number ?? 0) + 1
  const revisions = changed
    ? [
        ...history.filter((revision) => revision !== earlier).slice(-keptRevisions),
        { number, hash, template, at: earlier?.at ?? at, ...(earlier ? { again: at } : {}) },
      ]
    : history
  const asked = typeof spec['replicas'] === 'number' ? spec['replicas'] : 1
  return {
    namespace: manifest.metadata.namespace ?? 'default',
    name: manifest.metadata.name,
    kind,
    manifest,
    ...(revisions.length > 0 ? { revisions } : {}),
    ...(before?.progressedAt === undefined ? {} : { progressedAt: before.progressedAt }),
    ...(changed ? { progressedAt: at } : {}),
    ...(before?.completed === undefined ? {} : { completed: before.completed }),
    ...(before?.isMade ? { isMade: true } : {}),
    ...(before?.endedAt === undefined ? {} : { endedAt: before.endedAt }),
    replicas: hasReplicas(kind) ? asked : 0,
    ...request,
    image: text(first['image']),
    serviceAccount: text(pod['serviceAccountName']) || 'default',
    port: (() => {
      const port = record(list(first['ports'])[0])['containerPort']
      return typeof port === 'number' ? port : null
    })(),
    tolerations: tolerations
      .filter((toleration) => text(toleration['key']) !== '')
      .map((toleration) => ({ key: text(toleration['key']), value: text(toleration['value']) })),
    pool: texts(pod['nodeSelector'])['gyrarch/pool'] ?? null,
    createdAt: before?.createdAt ?? at,
  }
}

/** Whether a workload keeps as many pods as it says. */
export const hasReplicas = (kind: Workload['kind']): boolean =>
  kind === 'Deployment' || kind === 'ReplicaSet' || kind === 'StatefulSet'

/** Whether a pod is one of a workload. */
export const isPodOf = (
  pod: Pick<Pod, 'namespace' | 'workload' | 'workloadKind'>,
  workload: Pick<Workload, 'namespace' | 'name' | 'kind'>,
): boolean =>
  pod.workload === workload.name &&
  pod.namespace === workload.namespace &&
  (pod.workloadKind === undefined || pod.workloadKind === workload.kind)

export const podsOf = (cluster: Cluster, workload: Workload): Pod[] =>
  cluster.running.filter((pod) => isPodOf(pod, workload))

/** The jobs that a CronJob has made. In worlds of before their owner stands beside their name. */
export const jobsOf = (cluster: Cluster, { name, namespace }: Workload): readonly Workload[] =>
  cluster.workloads.filter((workload) => {
    if (workload.kind !== 'Job' || workload.namespace !== namespace) return false
    const metadata = workload.manifest?.metadata
    const isOwner = (entry: unknown): boolean =>
      record(entry)['kind'] === 'CronJob' && record(entry)['name'] === name
    return metadata?.['owner'] === name || list(metadata?.['ownerReferences']).some(isOwner)
  })

export const isReadyPod = (pod: Pod): boolean => pod.phase === 'Running' && pod.unready !== true

function hashLabel({ kind, name }: Workload, hash: string): Readonly<Record<string, string>> {
  if (kind === 'Deployment') return { 'pod-template-hash': hash }
  return kind === 'StatefulSet' ? { 'controller-revision-hash': `${name}-${hash}` } : {}
}

/** Labels of a pod: its template’s, and what its controller adds. */
export function podLabels(
  workload: Workload | undefined,
  pod: Pick<Pod, 'workload' | 'hash'> & { readonly name?: string },
): Readonly<Record<string, string>> {
  if (!workload) return { app: pod.workload }
  const own = texts(record(templateOf(workload, pod.hash)['metadata'])['labels'])
  return {
    ...own,
    ...(pod.hash === undefined ? {} : hashLabel(workload, pod.hash)),
    ...(workload.kind === 'StatefulSet'
      ? { 'statefulset.kubernetes.io/pod-name': pod.name ?? '' }
      : {}),
  }
}

/** Where an image is looked up: repository and tag; without a tag `latest`. */
export function imageParts(image: string): { readonly repository: string; readonly tag: string } {
  const cut = image.lastIndexOf(':')
  return cut > image.lastIndexOf('/')
    ? { repository: image.slice(0, cut), tag: image.slice(cut + 1) }
    : { repository: image, tag: 'latest' }
}

/** A digest that belongs to an image and no other. */
export function digestOf(image: string): string {
  let out = ''
  for (let i = 0; out.length < 64; i++) {
    let hash = 0xcbf29ce484222325n
    for (const char of `${image}#${i}`)
      hash = ((hash ^ BigInt(char.codePointAt(0) ?? 0)) * 0x100000001b3n) & 0xffffffffffffffffn
    out += hash.toString(16).padStart(16, '0')
  }
  return `sha256:${out.slice(0, 64)}`
}
