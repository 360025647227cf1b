/** Why a workload lacks pods, or a service does not answer. */
import { type Json, list, record, records, text } from '../objects'
import {
  type Candidate,
  type CauseCode,
  distinct,
  further,
  type Looked,
  nothing,
  together,
} from './causes'
import { conditionsOf, type Fact, type Evidence, refOfObject } from './facts'
import { isWellPod, podCauses } from './pods'
import { kept } from './policies'
import { said } from './says'
import { refusedPods } from './unmade'

const metadataOf = (object: Json): Json => record(object['metadata'])
const namespaceOf = (object: Json): string => text(metadataOf(object)['namespace']) || 'default'

/** The pods of a workload, and the replica sets or jobs between. */
function below(
  evidence: Evidence,
  workload: Json,
): { readonly between: readonly Json[]; readonly pods: readonly Json[] } {
  const owned = evidence.ownedBy(refOfObject(workload))
  const between = owned
    .filter(({ kind }) => kind === 'ReplicaSet' || kind === 'Job')
    .filter((object) => record(object['spec'])['replicas'] !== 0)
  const pods = [...owned, ...between.flatMap((owner) => evidence.ownedBy(refOfObject(owner)))]
  return { between, pods: pods.filter(({ kind }) => kind === 'Pod') }
}

const single = (about: Json, cause: CauseCode, facts: readonly Fact[]): Candidate => ({
  cause,
  about: refOfObject(about),
  facts,
  chain: [
    {
      about: refOfObject(about),
      says: facts[0]?.text ?? said('cause.is', { cause, about: refOfObject(about) }).says,
    },
  ],
})

/** All that the facts about a workload speak for, down to its pods. */
export function workloadCauses(evidence: Evidence, workload: Json): Looked {
  const ref = refOfObject(workload)
  const { between, pods } = below(evidence, workload)
  const refused = together(
    refusedPods(evidence, workload),
    ...between.map((owner) => refusedPods(evidence, owner)),
  )
  const unwell = pods.filter((pod) => !isWellPod(pod))
  const lower = distinct(together(refused, ...unwell.map((pod) => podCauses(evidence, pod))))
  const link = {
    about: ref,
    says: said('workload.short', { unwell: unwell.length, pods: pods.length }).says,
  }
  if (lower.candidates.length > 0) return further(lower, link)
  const stuck = conditionsOf(workload).find(
    ({ type, status }) => type === 'Progressing' && status === 'False',
  )
  return stuck ? { ...lower, candidates: [single(workload, 'rollout-stuck', [stuck.fact])] } : lower
}

const matches = (selector: Json, labels: Json): boolean =>
  Object.entries(selector).every(([key, value]) => labels[key] === value)

/** Ports that the containers of a pod declare: by number and by name. */
const declaredPorts = (pod: Json): readonly Json[] =>
  records(record(pod['spec'])['containers']).flatMap((container) => records(container['ports']))

/** A port of a service that leads to none of the ports its pods declare. */
function wrongPort(service: Json, pods: readonly Json[]): Fact | null {
  const declared = pods.flatMap(declaredPorts)
  // A container that declares none may listen on any.
  const isWhole = pods.every((pod) =>
    records(record(pod['spec'])['containers']).every(
      (container) => records(container['ports']).length > 0,
    ),
  )
  for (const port of records(record(service['spec'])['ports'])) {
    const target = port['targetPort'] ?? port['port']
    const isThere = declared.some(
      (each) => each['containerPort'] === target || each['name'] === target,
    )
    if (!isThere && (isWhole || typeof target === 'string'))
      return {
        type: 'object',
        about: refOfObject(service),
        at: null,
        text: `targetPort: ${String(target)}`,
      }
  }
  return null
}

/** All that the facts about a service speak for. */
export function serviceCauses(evidence: Evidence, service: Json): Looked {
  const ref = refOfObject(service)
  const spec = record(service['spec'])
  const selector = record(spec['selector'])
  const isBalanced = spec['type'] === 'LoadBalancer'
  const ingress = list(record(record(service['status'])['loadBalancer'])['ingress'])
  const pending: Looked =
    isBalanced && ingress.length === 0
      ? {
          ...nothing,
          candidates: [
            single(service, 'address-pending', [
              ...evidence
                .events(ref)
                .current.filter(({ isWarning }) => isWarning)
                .map(({ fact }) => fact),
            ]),
          ],
        }
      : nothing
  if (Object.keys(selector).length === 0) return pending
  const pods = evidence
    .ofKind('Pod')
    .filter(
      (pod) =>
        namespaceOf(pod) === namespaceOf(service) &&
        matches(selector, record(metadataOf(pod)['labels'])) &&
        !['Succeeded', 'Failed'].includes(text(record(pod['status'])['phase'])),
    )
  if (pods.length === 0) {
    const fact: Fact = { type: 'object', about: ref, at: null, text: JSON.stringify(selector) }
    const refused = below_(evidence, service, selector)
    return together(
      pending,
      refused.candidates.length > 0
        ? refused
        : { ...nothing, candidates: [single(service, 'no-match', [fact])] },
    )
  }
  const unwell = pods.filter((pod) => !isWellPod(pod))
  if (unwell.length === pods.length) {
    const lower = further(together(...unwell.map((pod) => podCauses(evidence, pod))), {
      about: ref,
      says: said('service.unready', { pods: pods.length }).says,
    })
    const facts = unwell.flatMap((pod) =>
      conditionsOf(pod)
        .filter(({ type, status }) => type === 'Ready' && status !== 'True')
        .map(({ fact }) => fact),
    )
    return together(
      pending,
      lower.candidates.length > 0
        ? lower
        : { ...lower, candidates: [single(service, 'endpoints-not-ready', facts)] },
    )
  }
  const port = wrongPort(service, pods)
  const candidates = port ? [single(service, 'port-wrong', [port])] : kept(evidence, service)
  return together(pending, { ...nothing, candidates })
}

/** Workloads whose template a selector matches, and that have no pod. */
function below_(evidence: Evidence, service: Json, selector: Json): Looked {
  const workloads = ['Deployment', 'StatefulSet', 'DaemonSet']
    .flatMap((kind) => evidence.ofKind(kind))
    .filter((workload) => {
      const labels = record(
        record(record(record(workload['spec'])['template'])['metadata'])['labels'],
      )
      return namespaceOf(workload) === namespaceOf(service) && matches(selector, labels)
    })
  return further(together(...workloads.map((workload) => workloadCauses(evidence, workload))), {
    about: refOfObject(service),
    says: said('service.empty').says,
  })
}
