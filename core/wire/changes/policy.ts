/** Network policies written or removed: `wire.policy`. What a draft would cut off is walked over the calls of the last day. */
import { dnsLabel } from '../../objects/dns-label'
import { type ClusterView, type FleetView, listedObjects } from '../../fleet'
import { z } from 'zod'
import { caution, note, type RawFinding, ref, stop } from '../../changes'
import { readObjects, schemaOf } from '../../objects'
import { type BadText, readPolicyWorld } from '..'
import type { PodEnd, Policy } from '../policy'
import type { WrittenObject } from '../../manifests/parse'
import { wayFindings } from './ways'
import { objectNamed, withObjects, writes } from './written'
import { said } from './says'
import { quoted } from '../../contract'

const name = z.string().regex(dnsLabel, 'Small letters, digits and -, up to 63.')

export const policyIntent = z.strictObject({
  cluster: z.string().max(253),
  namespace: z.string().max(63),
  name,
  spec: z.record(z.string(), z.unknown()).default({}),
  remove: z.boolean().default(false),
})
export type PolicyIntent = z.infer<typeof policyIntent>

const objectOf = (intent: PolicyIntent): WrittenObject => ({
  apiVersion: 'networking.k8s.io/v1',
  kind: 'NetworkPolicy',
  metadata: { name: intent.name, namespace: intent.namespace },
  spec: intent.spec,
})

/** A policy as the packet walk reads it, with the pods there are; or what in it cannot be read. */
type PolicyRead =
  | { readonly policy: Policy | undefined; readonly pods: readonly PodEnd[] }
  | { readonly wrong: RawFinding }

function readDraft(object: WrittenObject, cluster: string, view: FleetView): PolicyRead {
  const parsed = schemaOf('NetworkPolicy')?.safeParse(object)
  const issue = parsed?.success === false ? parsed.error.issues[0] : undefined
  if (issue) {
    const path = issue.path.slice(1).join('.')
    const says = said('policy.readable', { path, message: issue.message })
    return { wrong: stop('policy.readable', `spec.${path}`, says) }
  }
  const around = listedObjects(view, cluster).filter(
    ({ kind }) => kind === 'Pod' || kind === 'Namespace',
  )
  const bad: BadText[] = []
  const world = readPolicyWorld(readObjects([...around, object]).located, 'objects', bad)
  const [first] = bad
  if (first) {
    const field = first.path.replace(/^objects\[\d+\]\./, '')
    return { wrong: stop('policy.readable', field, quoted('policy.unreadable', first.says)) }
  }
  return { policy: world.policies[0], pods: [...world.pods.values()] }
}

/** Whom the policy isolates, or that it selects nobody. */
function checkSelected(
  policy: Policy | undefined,
  pods: readonly PodEnd[],
  namespace: string,
  cluster: ClusterView,
): RawFinding {
  const field = 'spec.podSelector'
  const selected = pods.filter((pod) => policy?.selects(pod) === true)
  if (selected.length === 0)
    return note('policy.selects', field, said('policy.selects.selects-no-pod', { namespace }), [
      {
        ...said('pods-looked-at', {
          valuesCount: pods.filter((pod) => pod.namespace === namespace).length,
        }),
        source: cluster.name,
        at: cluster.observedAt,
      },
    ])
  const isolates = said('policy.selects.isolates', { selected: selected.map(({ name }) => name) })
  return note('policy.selects', field, isolates, [
    {
      ...said('policy-directions', {
        ingress: policy?.ingress !== null && policy?.ingress !== undefined,
        egress: policy?.egress !== null && policy?.egress !== undefined,
      }),
      source: 'the policy',
    },
  ])
}

/** Who may call nobody on port 53 finds nobody by name. */
const cutsOffNames = (policy: Policy | undefined): boolean =>
  policy?.egress !== null &&
  policy?.egress !== undefined &&
  !policy.egress.some(
    ({ peers, ports }) => peers === null || ports?.some(({ port }) => port === 53),
  )

function checkWritten(
  intent: PolicyIntent,
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const object = objectOf(intent)
  const read = readDraft(object, cluster.name, view)
  if ('wrong' in read) return [read.wrong]
  const names = cutsOffNames(read.policy)
    ? [
        caution('policy.names', 'spec.egress', said('policy.names'), [
          { ...said('no-rule-port'), source: 'the policy' },
        ]),
      ]
    : []
  return [
    checkSelected(read.policy, read.pods, intent.namespace, cluster),
    ...names,
    ...wayFindings(view, withObjects(view, cluster.name, [object]), [cluster.name], 'spec'),
  ]
}

function checkRemoved(
  intent: PolicyIntent,
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const key = `${intent.namespace}/${intent.name}`
  if (!objectNamed(view, cluster.name, 'NetworkPolicy', key))
    return [stop('policy.known', 'name', said('policy.known', { cluster: cluster.name, key }))]
  const after = withObjects(view, cluster.name, [], [objectOf(intent)])
  return wayFindings(view, after, [cluster.name], 'name')
}

export const wirePolicy = writes<PolicyIntent>({
  name: 'wire.policy',
  title: 'Change a network policy',
  intent: policyIntent,
  cluster: (intent) => intent.cluster,
  subject: (intent) => ref('networkpolicy', intent.cluster, intent.namespace, intent.name),
  label: (intent) =>
    `${intent.remove ? 'no policy' : 'policy'} ${intent.name || ''} in ${intent.cluster || 'a cluster'}`,
  check: (intent, cluster, view): readonly RawFinding[] => {
    const { namespaces } = cluster
    if (!namespaces.includes(intent.namespace))
      return [
        stop(
          'namespace.known',
          'namespace',
          said('namespace.known', {
            cluster: cluster.name,
            namespace: intent.namespace || '(none chosen)',
          }),
          [
            {
              ...said('namespaces', { namespaces }),
              source: cluster.name,
              at: cluster.observedAt,
            },
          ],
        ),
      ]
    return intent.remove ? checkRemoved(intent, cluster, view) : checkWritten(intent, cluster, view)
  },
  puts: (intent) => (intent.remove ? [] : [objectOf(intent)]),
  removes: (intent) => (intent.remove ? [objectOf(intent)] : []),
  says: (intent) =>
    `policy ${intent.namespace}/${intent.name} ${intent.remove ? 'removed' : 'in force'}`,
  prove: (intent, objects) => {
    const there = objects.some(
      (object) =>
        object.kind === 'NetworkPolicy' &&
        object.metadata?.name === intent.name &&
        (object.metadata.namespace ?? 'default') === intent.namespace,
    )
    return [
      {
        says: `${intent.namespace}/${intent.name} is ${intent.remove ? 'gone' : 'there'}`,
        holds: there !== intent.remove,
        observed: there ? 'there' : 'not there',
      },
    ]
  },
})
