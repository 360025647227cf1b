/** What can be done about a cause in a cluster of the fleet: changes, each tried by looking again at what it leaves. */
import type { RemedyChange } from '../changes'
import { applyJsonPatch, isRecord, type Json, list, record, records, text } from '../objects'
import { begunAnew } from './begun-anew'
import type { DiagnosedCause } from './diagnose'
import { type Evidence, type Ref } from './facts'
import { type Look, provenRemedies } from './remedies'
import { said } from './says'

export interface CaseRemedy {
  readonly says: string
  /** Why it is taken to help: what was computed again, or what is known of it. */
  readonly because: string
  readonly change: RemedyChange
}

/** Causes that a start from the power on does away with, and those that only another machine does. */
const mended: Readonly<Record<string, 'machine.restart' | 'machine.replace'>> = {
  'runtime-down': 'machine.restart',
  'agent-stopped': 'machine.restart',
  'clock-off': 'machine.restart',
  'memory-short': 'machine.restart',
  'disk-full': 'machine.replace',
  'certificate-expired': 'machine.replace',
}

/** Kinds of things that begin anew with a machine. */
const ofMachine: ReadonlySet<string> = new Set(['node', 'machine', 'pod', 'host'])

/** What mends a node that suffers from a cause: a start, another machine, or nothing that is done to it (null). */
export function mendOf({
  cause,
  about,
}: {
  readonly cause: string
  readonly about: Ref
}): 'machine.restart' | 'machine.replace' | null {
  const mend = Object.hasOwn(mended, cause) ? mended[cause] : undefined
  if (mend) return mend
  return ofMachine.has(about.split('/')[0] ?? '') ? 'machine.restart' : null
}

const nameOf = (object: Json): string => text(record(object['metadata'])['name'])

/** An object as it is to be written: without what only the API itself writes. */
function written(object: Json): string {
  const { status: _status, ...rest } = object
  const {
    uid: _uid,
    resourceVersion: _version,
    creationTimestamp: _created,
    generation: _generation,
    managedFields: _managed,
    ...metadata
  } = record(rest['metadata'])
  return `${JSON.stringify({ ...rest, metadata }, null, 2)}\n`
}

const applying = (cluster: string, object: Json): RemedyChange => ({
  kind: 'manifest.apply',
  intent: { cluster, text: written(object) },
})

const systemLabel = 'kubernetes.io/metadata.name'

/** A webhook that leaves out the namespace of what it keeps from being made, or that lets through what it cannot be asked about. */
function gateRemedies(
  cluster: string,
  configuration: Json,
  namespace: string,
): readonly CaseRemedy[] {
  const name = nameOf(configuration)
  const changed = (change: (webhook: Json) => Json): Json => ({
    ...configuration,
    webhooks: records(configuration['webhooks']).map(change),
  })
  const leftOut = changed((webhook) => ({
    ...webhook,
    namespaceSelector: {
      ...record(webhook['namespaceSelector']),
      matchExpressions: [
        ...list(record(webhook['namespaceSelector'])['matchExpressions']),
        { key: systemLabel, operator: 'NotIn', values: [namespace] },
      ],
    },
  }))
  const open = changed((webhook) => ({ ...webhook, failurePolicy: 'Ignore' }))
  return [
    {
      ...said('case.leave-out', { namespace, name }),
      because: said('case.leave-out-because', { namespace }).says,
      change: applying(cluster, leftOut),
    },
    {
      ...said('case.fail-open', { name }),
      because: said('case.fail-open-because').says,
      change: applying(cluster, open),
    },
  ]
}

/** A workload whose containers may use half as much memory again. */
function moreMemory(cluster: string, workload: Json): readonly CaseRemedy[] {
  const spec = record(workload['spec'])
  const template = record(spec['template'])
  const podSpec = record(template['spec'])
  const raised = (quantity: unknown): string | null => {
    const [, amount, unit = ''] = /^(\d+(?:\.\d+)?)([A-Za-z]*)$/.exec(text(quantity)) ?? []
    return amount === undefined ? null : `${Math.ceil(Number(amount) * 1.5)}${unit}`
  }
  const changes: string[] = []
  const containers = records(podSpec['containers']).map((container) => {
    const resources = record(container['resources'])
    const limit = raised(record(resources['limits'])['memory'])
    const request = raised(record(resources['requests'])['memory'])
    if (limit === null && request === null) return container
    changes.push(limit ?? request ?? '')
    return {
      ...container,
      resources: {
        ...resources,
        ...(limit === null ? {} : { limits: { ...record(resources['limits']), memory: limit } }),
        ...(request === null
          ? {}
          : { requests: { ...record(resources['requests']), memory: request } }),
      },
    }
  })
  const [memory] = changes
  if (memory === undefined) return []
  return [
    {
      ...said('case.more-memory', { name: nameOf(workload), memory }),
      because: said('case.more-memory-because').says,
      change: applying(cluster, {
        ...workload,
        spec: { ...spec, template: { ...template, spec: { ...podSpec, containers } } },
      }),
    },
  ]
}

/** Remedies that change an object of the cluster, proven by looking again once it is changed. */
function objectRemedies(
  evidence: Evidence,
  cluster: string,
  cause: DiagnosedCause,
  look: Look,
): readonly CaseRemedy[] {
  const objects = evidence.objects
  return provenRemedies(cause, objects, evidence, look).flatMap(
    ({ says, patch }): readonly CaseRemedy[] => {
      const patched = applyJsonPatch({ objects }, patch)
      const after = patched.ok && isRecord(patched.value) ? list(patched.value['objects']) : []
      const index = Number(/^\/objects\/(\d+)\//.exec(patch[0]?.path ?? '')?.[1] ?? -1)
      const object = record(after[index])
      const kind = text(object['kind'])
      if (kind === '') return []
      if (kind === 'Node')
        return [
          {
            says,
            because: said('case.looked-again').says,
            change: {
              kind: 'node.cordon',
              intent: { cluster, node: nameOf(object), open: true },
            },
          },
        ]
      if (kind === 'Pod') return []
      return [{ says, because: said('case.looked-again').says, change: applying(cluster, object) }]
    },
  )
}

/**
 * The machine of a node from the power on, or another: offered where, looked at again with what that leaves, the cause is
 * gone. What else keeps the subject from being well is said.
 */
function anewRemedies(
  evidence: Evidence,
  cluster: string,
  node: string,
  cause: DiagnosedCause,
  look: Look,
): readonly CaseRemedy[] {
  const change = mended[cause.cause]
  if (!change) return []
  const left = look(begunAnew(evidence, node))
  if (left.some((each) => each.cause === cause.cause && each.about === cause.about)) return []
  const [next] = left
  const what = change === 'machine.restart' ? 'case.restart' : 'case.replace'
  const because = [
    said(`${what}-because`).says,
    next
      ? said('case.left', { says: said('cause.is', { cause: next.cause, about: next.about }).says })
          .says
      : said('case.looked-again').says,
  ]
  return [
    {
      ...said(what, { node }),
      because: because.join('; '),
      change: { kind: change, intent: { cluster, node } },
    },
  ]
}

/** What can be done about a cause: at most three. */
export function caseRemedies(
  evidence: Evidence,
  cluster: string,
  subject: Ref,
  cause: DiagnosedCause,
  look: Look,
): readonly CaseRemedy[] {
  const [kind = '', second = ''] = cause.about.split('/')
  if (kind === 'node' && mended[cause.cause])
    return anewRemedies(evidence, cluster, second, cause, look)
  const about = evidence.object(cause.about)
  if (about && cause.cause.startsWith('webhook')) {
    const refused = cause.chain.find((link) => link.about.split('/').length === 3)?.about
    return gateRemedies(cluster, about, refused?.split('/')[1] ?? 'platform')
  }
  if (cause.cause === 'memory-killed') {
    const workload = evidence.object(subject)
    return workload ? moreMemory(cluster, workload) : []
  }
  return objectRemedies(evidence, cluster, cause, look).slice(0, 3)
}
