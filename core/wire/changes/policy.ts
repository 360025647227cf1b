/** Network policies written or removed: `wire.policy`. What a draft would cut off is walked over the calls of the last day. */
import { listedObjects } from '../../fleet'
import { z } from 'zod'
import { caution, type RawFinding, ref, stop } from '../../changes'
import { readObjects, schemaOf } from '../../objects'
import { type BadText, readPolicyWorld } from '..'
import type { WrittenObject } from '../../manifests/parse'
import { wayFindings } from './ways'
import { objectNamed, withObjects, writes } from './written'
import { said } from './says'
import { quoted } from '../../contract'

const name = z
  .string()
  .regex(/^[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?$/, 'Small letters, digits and -, up to 63.')

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

export const wirePolicy = writes<PolicyIntent>({
  name: 'wire.policy',
  title: 'Change a network policy',
  intent: policyIntent,
  cluster: (intent) => intent.cluster,
  subject: (intent) => ref('networkpolicy', intent.cluster, intent.namespace, intent.name),
  label: (intent) =>
    `${intent.remove ? 'no policy' : 'policy'} ${intent.name || ''} in ${intent.cluster || 'a cluster'}`,
  check: (intent, cluster, view): readonly RawFinding[] => {
    const because = [
      {
        ...said('namespaces', { namespaces: cluster.namespaces }),
        source: cluster.name,
        at: cluster.observedAt,
      },
    ]
    if (!cluster.namespaces.includes(intent.namespace))
      return [
        stop(
          'namespace.known',
          'namespace',
          said('namespace.known', {
            cluster: cluster.name,
            namespace: intent.namespace || '(none chosen)',
          }),
          because,
        ),
      ]
    const key = `${intent.namespace}/${intent.name}`
    const existingObject = objectNamed(view, cluster.name, 'NetworkPolicy', key)
    if (intent.remove) {
      if (!existingObject)
        return [stop('policy.known', 'name', said('policy.known', { cluster: cluster.name, key }))]
      return wayFindings(
        view,
        withObjects(view, cluster.name, [], [objectOf(intent)]),
        [cluster.name],
        'name',
      )
    }
    const object = objectOf(intent)
    const parsed = schemaOf('NetworkPolicy')?.safeParse(object)
    const issue = parsed && !parsed.success ? parsed.error.issues[0] : undefined
    if (issue)
      return [
        stop(
          'policy.readable',
          `spec.${issue.path.slice(1).join('.')}`,
          said('policy.readable', { path: issue.path.slice(1).join('.'), message: issue.message }),
        ),
      ]
    const bad: BadText[] = []
    const world = readPolicyWorld(
      readObjects([
        ...listedObjects(view, cluster.name).filter(
          (listedObject) => listedObject.kind === 'Pod' || listedObject.kind === 'Namespace',
        ),
        object,
      ]).located,
      'objects',
      bad,
    )
    const [first] = bad
    if (first)
      return [
        stop(
          'policy.readable',
          first.path.replace(/^objects\[\d+\]\./, ''),
          quoted('policy.unreadable', first.says),
        ),
      ]
    const findings: RawFinding[] = []
    const [policy] = world.policies
    const selected = [...world.pods.values()].filter((pod) => policy?.selects(pod) === true)
    if (selected.length === 0)
      findings.push({
        level: 'note',
        rule: 'policy.selects',
        field: 'spec.podSelector',
        ...said('policy.selects.selects-no-pod', { namespace: intent.namespace }),
        because: [
          {
            ...said('pods-looked-at', {
              valuesCount: [...world.pods.values()].filter(
                (pod) => pod.namespace === intent.namespace,
              ).length,
            }),
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      })
    else
      findings.push({
        level: 'note',
        rule: 'policy.selects',
        field: 'spec.podSelector',
        ...said('policy.selects.isolates', {
          selected: selected.map((pod) => pod.name),
        }),
        because: [
          {
            ...said('policy-directions', {
              ingress: policy?.ingress !== null && policy?.ingress !== undefined,
              egress: policy?.egress !== null && policy?.egress !== undefined,
            }),
            source: 'the policy',
          },
        ],
      })
    if (
      policy?.egress &&
      !policy.egress.some(
        (rule) => rule.peers === null || rule.ports?.some((port) => port.port === 53),
      )
    )
      findings.push(
        caution('policy.names', 'spec.egress', said('policy.names'), [
          { ...said('no-rule-port'), source: 'the policy' },
        ]),
      )
    return [
      ...findings,
      ...wayFindings(view, withObjects(view, cluster.name, [object]), [cluster.name], 'spec'),
    ]
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
