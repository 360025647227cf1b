/** What is broken in a cluster, each with its causes; what has one cause is one case. */
import { type Json, record, records, text } from '../objects'
import type { CauseCode } from './causes'
import { type DiagnosedCause, type Diagnosis, diagnosisOf } from './diagnose'
import { conditionsOf, type Evidence, type Ref, refOfObject } from './facts'
import { isWellNode } from './nodes'
import { isWellPod } from './pods'

/** Something that is not as it should be, and what it suffers from. */
export interface Trouble<Code extends string = CauseCode> {
  readonly cluster: string
  readonly subject: Ref
  /** What makes it the same case as another: its cause, and where that is. */
  readonly key: string
  /** ISO; null where nothing says since when. */
  readonly since: string | null
  /** Its causes are those of clusters, or those of the fleet itself. */
  readonly diagnosis: Diagnosis<Code>
}

const owned = new Set(['ReplicaSet', 'Job'])

/** What controls a pod in the end: its deployment rather than the replica set between. */
function topOf(evidence: Evidence, object: Json): Ref {
  const metadata = record(object['metadata'])
  const owner = records(metadata['ownerReferences']).find(({ controller }) => controller !== false)
  if (!owner) return refOfObject(object)
  const kind = text(owner['kind'])
  const ref = `${kind.toLowerCase()}/${text(metadata['namespace']) || 'default'}/${text(owner['name'])}`
  const above = evidence.object(ref)
  return above && owned.has(kind) ? topOf(evidence, above) : ref
}

/** Young pods are given time to start (ms). */
const startMs = 180_000

const isYoung = (evidence: Evidence, pod: Json): boolean => evidence.now - bornAt(pod) < startMs

const bornAt = (pod: Json): number => Date.parse(text(record(pod['metadata'])['creationTimestamp']))

/** When the first pod that is not well yet has had its time to start (ms); null where there is none such. */
export function dueAfterStart(objects: readonly Json[], now: number): number | null {
  const due = objects
    .filter((object) => object['kind'] === 'Pod' && !isWellPod(object))
    .map((pod) => bornAt(pod) + startMs)
    .filter((at) => at > now)
  return due.length === 0 ? null : Math.min(...due)
}

/** Pods that wait for a node to be added by itself are no trouble before that has had its time. */
function brokenPods(evidence: Evidence): readonly Ref[] {
  const unwell = evidence.ofKind('Pod').filter((pod) => !isWellPod(pod) && !isYoung(evidence, pod))
  return [...new Set(unwell.map((pod) => topOf(evidence, pod)))].filter((ref) =>
    evidence.object(ref),
  )
}

/** Workloads whose pods are not even made. */
const unmade = (evidence: Evidence): readonly Ref[] =>
  evidence
    .toldOf()
    .filter((ref) => evidence.events(ref).current.some(({ reason }) => reason === 'FailedCreate'))
    .flatMap((ref) => {
      const object = evidence.object(ref)
      return object ? [topOf(evidence, object)] : []
    })

/** What is not as it should be in a cluster, each once. */
export function symptomsOf(evidence: Evidence): readonly Ref[] {
  const nodes = evidence
    .ofKind('Node')
    .filter((node) => !isWellNode(node) && record(node['spec'])['unschedulable'] !== true)
  const services = evidence.ofKind('Service')
  return [
    ...new Set([
      ...nodes.map(refOfObject),
      ...unmade(evidence),
      ...brokenPods(evidence),
      ...services.map(refOfObject),
      'cluster',
    ]),
  ]
}

/** What a subject is first told of to have begun. */
function sinceOf(evidence: Evidence, subject: Ref, diagnosis: Diagnosis): string | null {
  const object = evidence.object(subject)
  const ready = object && conditionsOf(object).find(({ type }) => type === 'Ready')
  if (ready && ready.status !== 'True' && ready.fact.at !== null) return ready.fact.at
  const times = diagnosis.causes.flatMap(({ because }) => because.flatMap(({ at }) => at ?? []))
  return times.toSorted()[0] ?? null
}

/** Whoever walks: what is stopped by one thing is one case. */
export const walkKey = (decider: string): string => `walk ${decider}`

/** What makes troubles one case: a walk that is stopped by the same thing; a webhook; a cause about the same object, or, of pods, the same workload. */
function keyOf(cluster: string, subject: Ref, cause: DiagnosedCause | undefined): string {
  if (!cause) return `unknown ${cluster} ${subject}`
  const walk = cause.because.find(({ type }) => type === 'walk')
  if (walk) return walkKey(walk.text)
  if (cause.cause.startsWith('webhook')) return `webhook ${cluster} ${cause.about}`
  const about = cause.about.startsWith('pod/') ? subject : cause.about
  return `${cause.cause} ${cluster} ${about}`
}

/**
 * The troubles of a cluster. A walk that is stopped is one case whoever walked, so that a rule over many nodes is one;
 * a subject without a known cause is a case by itself.
 */
export function troublesOf(evidence: Evidence, cluster: string): readonly Trouble[] {
  return symptomsOf(evidence).flatMap((subject): readonly Trouble[] => {
    const diagnosis = diagnosisOf(evidence, subject)
    if (!diagnosis || diagnosis.symptom === '') return []
    const [first] = diagnosis.causes
    // A service says nothing of its own where its pods already do.
    if (
      subject.startsWith('service/') &&
      first?.about !== subject &&
      !first?.about.startsWith('networkpolicy/')
    )
      return []
    return [
      {
        cluster,
        subject,
        key: keyOf(cluster, subject, first),
        since: sinceOf(evidence, subject, diagnosis),
        diagnosis,
      },
    ]
  })
}

/** Troubles with one cause, together. */
export function casesOf<T extends Trouble<string>>(
  troubles: readonly T[],
): ReadonlyMap<string, readonly T[]> {
  const cases = new Map<string, T[]>()
  for (const trouble of troubles) {
    const same = cases.get(trouble.key)
    if (same) same.push(trouble)
    else cases.set(trouble.key, [trouble])
  }
  return cases
}
