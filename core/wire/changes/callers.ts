/** Who may call a service, and whether a namespace takes callers that are not listed: `wire.callers`. */
import { dnsLabel } from '../../objects/dns-label'
import { z } from 'zod'
import { caution, type RawFinding, ref, stop } from '../../changes'
import { type FleetView, listedObjects, trafficIn } from '../../fleet'
import { type ApiObject, podsOfWorkload } from '../../objects'
import { callersLabel, mayCall, readCallers } from '..'
import type { WrittenObject } from '../../manifests/parse'
import { objectNamed, objectsIn, withObjects, writes } from './written'
import { callsADay } from './hits'
import { said } from './says'
import { countText } from '../../units'

const name = z.string().regex(dnsLabel, 'Small letters, digits and -, up to 63.')
const path = z.string().max(2000).startsWith('/', 'A path begins with a slash.')

export const callersIntent = z.strictObject({
  cluster: z.string().max(253),
  namespace: z.string().max(63),
  /** Whether callers that no rule lists may call the services of the namespace. */
  unlisted: z.enum(['open', 'closed']).optional(),
  rule: z
    .strictObject({
      name,
      service: z.string().min(1, 'Choose a service.').max(63),
      callers: z
        .array(
          z.strictObject({
            serviceAccount: z.string().min(1).max(253),
            namespace: z.string().max(63).optional(),
          }),
        )
        .min(1, 'Name at least one caller.')
        .max(500),
      requests: z
        .array(
          z.strictObject({
            methods: z.array(z.string().max(20)).max(20).optional(),
            paths: z.array(path).max(100).optional(),
          }),
        )
        .max(100)
        .optional(),
    })
    .optional(),
  remove: z.string().max(63).optional(),
})
export type CallersIntent = z.infer<typeof callersIntent>

function objectsOf(intent: CallersIntent, view: FleetView): readonly WrittenObject[] {
  const { rule } = intent
  const space = objectsIn(view, intent.cluster, 'Namespace').find(
    (object) => object.metadata?.name === intent.namespace,
  ) as { metadata?: { labels?: Record<string, string> } } | undefined
  return [
    ...(intent.unlisted === undefined
      ? []
      : [
          {
            apiVersion: 'v1',
            kind: 'Namespace',
            metadata: {
              name: intent.namespace,
              labels: { ...space?.metadata?.labels, [callersLabel]: intent.unlisted },
            },
          },
        ]),
    ...(rule
      ? [
          {
            apiVersion: 'gyrarch/v1',
            kind: 'CallerRule',
            metadata: { name: rule.name, namespace: intent.namespace },
            spec: JSON.parse(
              JSON.stringify({
                service: rule.service,
                callers: rule.callers,
                requests: rule.requests,
              }),
            ) as Record<string, unknown>,
          },
        ]
      : []),
  ]
}

const goneOf = (intent: CallersIntent): readonly WrittenObject[] =>
  intent.remove === undefined
    ? []
    : [
        {
          apiVersion: 'gyrarch/v1',
          kind: 'CallerRule',
          metadata: { name: intent.remove, namespace: intent.namespace },
        },
      ]

/** The service account of a caller’s pods, as it is written in its workload. */
export function accountOf(
  objects: readonly ApiObject[],
  from: string,
): { readonly namespace: string; readonly serviceAccount: string } | null {
  const [pod] = podsOfWorkload(objects, from)
  return pod
    ? {
        namespace: pod.metadata.namespace ?? 'default',
        serviceAccount: pod.spec?.serviceAccountName ?? 'default',
      }
    : null
}

function cutOff(intent: CallersIntent, view: FleetView): readonly RawFinding[] {
  const objects = listedObjects(view, intent.cluster)
  const [before, after] = [
    readCallers(objects),
    readCallers(
      listedObjects(
        withObjects(view, intent.cluster, objectsOf(intent, view), goneOf(intent)),
        intent.cluster,
      ),
    ),
  ]
  const findings: RawFinding[] = []
  const seen = [{ ...said('calls-last-day'), source: `traffic of ${intent.cluster}`, at: view.now }]
  for (const flow of trafficIn(view, intent.cluster)) {
    const [namespace = '', service = ''] = flow.to.split('/')
    const account = accountOf(objects, flow.from)
    if (!account || service === '' || namespace !== intent.namespace) continue
    const request = { method: flow.method, path: flow.path }
    const [was, is] = [
      mayCall(before, account, { namespace, name: service }, request),
      mayCall(after, account, { namespace, name: service }, request),
    ]
    if (was.allowed && !is.allowed)
      findings.push(
        caution(
          `callers.${flow.from}.${flow.to}`,
          'rule',
          said('refused-calls-last', {
            from: flow.from,
            serviceAccount: account.serviceAccount,
            service,
            callsADay: callsADay(flow, view.now),
          }),
          seen,
        ),
      )
  }
  return findings
}

export const wireCallers = writes<CallersIntent>({
  name: 'wire.callers',
  title: 'Change who may call',
  intent: callersIntent,
  cluster: (intent) => intent.cluster,
  subject: (intent) => ref('callers', intent.cluster, intent.namespace),
  label: (intent) =>
    `callers of ${intent.namespace || 'a namespace'} in ${intent.cluster || 'a cluster'}`,
  check: (intent, cluster, view) => {
    if (!cluster.namespaces.includes(intent.namespace))
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
              ...said('namespaces', { namespaces: cluster.namespaces }),
              source: cluster.name,
              at: cluster.observedAt,
            },
          ],
        ),
      ]
    const findings: RawFinding[] = []
    if (intent.unlisted === undefined && !intent.rule && intent.remove === undefined)
      findings.push(stop('callers.nothing', 'rule', said('callers.nothing')))
    if (
      intent.remove !== undefined &&
      !objectNamed(view, cluster.name, 'CallerRule', `${intent.namespace}/${intent.remove}`)
    )
      findings.push(
        stop(
          'callers.known',
          'remove',
          said('callers.known', { namespace: intent.namespace, remove: intent.remove }),
        ),
      )
    const services = objectsIn(view, cluster.name, 'Service')
      .filter((object) => object.metadata?.namespace === intent.namespace)
      .map((object) => object.metadata?.name ?? '')
    if (intent.rule && !services.includes(intent.rule.service))
      findings.push(
        stop(
          'callers.service',
          'rule.service',
          said('callers.service', { namespace: intent.namespace, service: intent.rule.service }),
          [
            {
              ...said('services', { services }),
              source: cluster.name,
              at: cluster.observedAt,
            },
          ],
        ),
      )
    for (const [i, caller] of (intent.rule?.callers ?? []).entries()) {
      const space = caller.namespace ?? intent.namespace
      const used = objectsIn(view, cluster.name, 'Pod').some(
        (object) =>
          object.metadata?.namespace === space &&
          ((object as { spec?: { serviceAccountName?: string } }).spec?.serviceAccountName ??
            'default') === caller.serviceAccount,
      )
      if (!used)
        findings.push({
          level: 'note',
          rule: `callers.used.${i}`,
          field: `rule.callers[${i}]`,
          ...said('no-pod-runs', { space, serviceAccount: caller.serviceAccount }),
          because: [
            { ...said('pods-looked', { space }), source: cluster.name, at: cluster.observedAt },
          ],
        })
    }
    return findings.some((finding) => finding.level === 'stop')
      ? findings
      : [...findings, ...cutOff(intent, view)]
  },
  puts: objectsOf,
  removes: goneOf,
  says: (intent) =>
    [
      intent.rule ? `rule ${intent.rule.name} in force` : '',
      intent.remove === undefined ? '' : `rule ${intent.remove} removed`,
      intent.unlisted === undefined
        ? ''
        : `${intent.namespace} is ${intent.unlisted} to callers not listed`,
    ]
      .filter((text) => text !== '')
      .join(', '),
  prove: (intent, objects) => {
    const world = readCallers(objects)
    const rule =
      intent.rule === undefined ||
      world.rules.some((rule) => rule.key === `${intent.namespace}/${intent.rule?.name ?? ''}`)
    const gone =
      intent.remove === undefined ||
      !world.rules.some(
        (callerRule) => callerRule.key === `${intent.namespace}/${intent.remove ?? ''}`,
      )
    const mode =
      intent.unlisted === undefined ||
      world.closed.has(intent.namespace) === (intent.unlisted === 'closed')
    return [
      {
        says: 'who may call is as it was to become',
        holds: rule && gone && mode,
        observed: `${countText(world.rules.filter((callerRule) => callerRule.namespace === intent.namespace).length, 'rule')}, ${world.closed.has(intent.namespace) ? 'closed' : 'open'}`,
      },
    ]
  },
})
