/** Admission webhooks that an API must ask before it takes an object, and behind which nothing answers. */
import type { RawFinding } from '../changes'
import { type ClusterView, type FleetView, listedObjects } from '../fleet'
import {
  type ApiObject,
  isOfKind,
  type Json,
  type LabelSelector,
  list,
  type PodObject,
  policyRefusals,
  record,
  resourcesOf,
  selectorTest,
  text,
  texts,
} from '../objects'
import { isClusterWide, objectKey, objectText, type WrittenObject } from './parse'
import { templateOf } from './references'
import { said } from './says'

const kinds = ['ValidatingWebhookConfiguration', 'MutatingWebhookConfiguration']

export interface Webhook {
  readonly name: string
  readonly of: Json
}

/** Webhooks without which nothing that they are asked about is taken. */
const failingClosed = (live: readonly ApiObject[]): readonly Webhook[] =>
  live
    .filter(({ kind }) => kinds.includes(kind))
    .flatMap((configuration) => list((configuration as WrittenObject)['webhooks']).map(record))
    .filter((of) => of['failurePolicy'] !== 'Ignore')
    .map((of) => ({ name: text(of['name']), of }))

const holds = (listed: unknown, value: string): boolean => {
  const values = texts(listed)
  return values.includes('*') || values.includes(value)
}

const labelsIn = (
  live: readonly ApiObject[],
  namespace: string,
): Readonly<Record<string, string>> => {
  const namespaceObject = live.find(
    ({ kind, metadata }) => kind === 'Namespace' && metadata?.name === namespace,
  )
  return {
    'kubernetes.io/metadata.name': namespace,
    ...(record(namespaceObject?.metadata)['labels'] as Record<string, string> | undefined),
  }
}

const matches = (selector: unknown, labels: Readonly<Record<string, string>>): boolean =>
  selectorTest((selector ?? {}) as LabelSelector)(labels)

/** Whether a webhook is asked about an object of that kind. */
export function isAsked(
  { of }: Webhook,
  object: WrittenObject,
  operation: string,
  live: readonly ApiObject[],
): boolean {
  const parts = object.apiVersion.split('/')
  const [group, version] = parts.length === 2 ? parts : ['', parts[0]]
  const namespace = isClusterWide(object.kind) ? null : (object.metadata.namespace ?? 'default')
  return (
    list(of['rules'])
      .map(record)
      .some(
        (rule) =>
          holds(rule['operations'], operation) &&
          holds(rule['apiGroups'], group ?? '') &&
          holds(rule['apiVersions'], version ?? '') &&
          holds(rule['resources'], resourcesOf(object.kind)),
      ) &&
    matches(
      of['objectSelector'],
      (record(object.metadata)['labels'] ?? {}) as Record<string, string>,
    ) &&
    (namespace === null || matches(of['namespaceSelector'], labelsIn(live, namespace)))
  )
}

const isReady = (pod: PodObject): boolean =>
  pod.status?.conditions?.some(({ type, status }) => type === 'Ready' && status === 'True') === true

/** Why nothing answers behind a webhook that a service is for; null where something does, or where it is no service. */
function silentService({ of }: Webhook, live: readonly ApiObject[]): string | null {
  const service = record(record(of['clientConfig'])['service'])
  if (Object.keys(service).length === 0) return null
  const [namespace, name] = [text(service['namespace']), text(service['name'])]
  const entry = live.find(
    ({ kind, metadata }) =>
      kind === 'Service' && metadata?.name === name && metadata.namespace === namespace,
  )
  if (!entry) return `${namespace}/${name}`
  const selector = record(record((entry as WrittenObject)['spec'])['selector']) as Record<
    string,
    string
  >
  if (Object.keys(selector).length === 0) return null
  const answers = live.some(
    (pod) =>
      isOfKind(pod, 'Pod') &&
      pod.metadata.namespace === namespace &&
      isReady(pod) &&
      Object.entries(selector).every(([key, value]) => pod.metadata.labels?.[key] === value),
  )
  return answers ? null : `${namespace}/${name}`
}

/** How many webhooks an API asks about an object of a text. */
export const webhooksFor = (
  object: WrittenObject,
  isNew: boolean,
  live: readonly ApiObject[],
): number =>
  failingClosed(live).filter((webhook) =>
    isAsked(webhook, object, isNew ? 'CREATE' : 'UPDATE', live),
  ).length

export function webhookFindings(
  objects: readonly { readonly object: WrittenObject; readonly isNew: boolean }[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = listedObjects(view, cluster.name)
  const silent = failingClosed(live).flatMap((webhook) => {
    const service = silentService(webhook, live)
    return service === null ? [] : [{ webhook, service }]
  })
  if (silent.length === 0) return []
  return objects.flatMap(({ object, isNew }): readonly RawFinding[] => {
    const pod: WrittenObject | null =
      templateOf(object) === null
        ? null
        : {
            apiVersion: 'v1',
            kind: 'Pod',
            metadata: {
              ...record(templateOf(object)?.template['metadata']),
              name: object.metadata.name,
              namespace: object.metadata.namespace ?? 'default',
            },
          }
    const refused = silent.find(({ webhook }) =>
      isAsked(webhook, object, isNew ? 'CREATE' : 'UPDATE', live),
    )
    const podless = pod && silent.find(({ webhook }) => isAsked(webhook, pod, 'CREATE', live))
    const told = refused ?? podless
    if (!told) return []
    return [
      {
        level: refused ? 'stop' : 'caution',
        rule: `webhook.${objectKey(object)}`,
        field: 'text',
        ...said(refused ? 'webhook-silent' : 'webhook-silent.pods', {
          objectText: objectText(object),
          webhook: told.webhook.name,
          service: told.service,
        }),
        because: [
          {
            ...said('webhook-closed', { webhook: told.webhook.name, service: told.service }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      },
    ]
  })
}

/** Admission policies that would refuse an object, or warn of it, whatever it holds. */
export function policyFindings(
  objects: readonly { readonly object: WrittenObject; readonly isNew: boolean }[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = listedObjects(view, cluster.name)
  return objects.flatMap(({ object, isNew }) =>
    policyRefusals(live, {
      apiVersion: object.apiVersion,
      kind: object.kind,
      operation: isNew ? 'CREATE' : 'UPDATE',
      namespaceLabels: isClusterWide(object.kind)
        ? null
        : labelsIn(live, object.metadata.namespace ?? 'default'),
    }).map(({ policy, refuses, message }) => ({
      level: refuses ? 'stop' : 'caution',
      rule: `policy.${objectKey(object)}.${policy}`,
      field: 'text',
      ...said('policy-refuses', { objectText: objectText(object), policy, refuses, message }),
      because: [
        { ...said('policy-matches', { policy }), source: cluster.name, at: cluster.observedAt },
      ],
    })),
  )
}
