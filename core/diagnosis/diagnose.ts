/**
 * From a symptom to its causes: what the facts about a subject and what it stands on speak for, ranked by how much each
 * explains, with what contradicts others and what to look at next. Source: computations 12.
 */
import { type Json, record, text } from '../objects'
import { compareText } from '../units'
import type { ReadyWorld } from '../wire'
import {
  type Candidate,
  type CauseCode,
  type DiagnosisRemedy,
  type Link,
  type Looked,
  nothing,
  type PolicyOpening,
  type RuledOut,
} from './causes'
import { clusterCauses } from './cluster'
import { conditionsOf, type Fact, Evidence, type Log, type Ref, refOfObject } from './facts'
import { restates } from './messages'
import { isWellNode, nodeCauses } from './nodes'
import { isWellPod, podCauses } from './pods'
import { nextProbe, type Probe } from './probes'
import { provenRemedies } from './remedies'
import { said } from './says'
import { stuckDeletion } from './stuck'
import { claimCauses } from './unmade'
import { serviceCauses, workloadCauses } from './workloads'

export interface DiagnosisInput {
  readonly objects: readonly unknown[]
  readonly logs?: readonly Log[]
  readonly about: Ref
  /** ISO. */
  readonly now: string
  /** What a packet walks through, where it is known. */
  readonly world?: ReadyWorld | null
}

/** A cause; in the fleet itself there are others than those of clusters. */
export interface DiagnosedCause<Code extends string = CauseCode> {
  readonly cause: Code
  readonly about: Ref
  /** Of the facts that need explaining, 0 to 1. */
  readonly share: number
  readonly says: string
  readonly chain: readonly Link[]
  readonly because: readonly Fact[]
  readonly remedies: readonly DiagnosisRemedy[]
  /** What a policy would have to let through as well. */
  readonly opening?: PolicyOpening
}

export interface Diagnosis<Code extends string = CauseCode> {
  /** Empty where the subject is well. */
  readonly symptom: string
  readonly causes: readonly DiagnosedCause<Code>[]
  readonly ruledOut: readonly RuledOut[]
  readonly next: Probe | null
}

/** Remedies are proven for so many causes, the best first. */
const mostRemedied = 8

/** Where too little is known: half at most. */
const modest = 0.5

const workloadKinds = new Set([
  'Deployment',
  'StatefulSet',
  'DaemonSet',
  'ReplicaSet',
  'ReplicationController',
  'Job',
  'CronJob',
])

/** What is looked at for a subject. */
function lookedAt(evidence: Evidence, about: Ref, object: Json | undefined): Looked {
  if (!object) return clusterCauses(evidence)
  const kind = text(object['kind'])
  if (kind === 'Pod') return podCauses(evidence, object)
  if (kind === 'Node') return nodeCauses(evidence, object)
  if (kind === 'Service') return serviceCauses(evidence, object)
  if (workloadKinds.has(kind)) return workloadCauses(evidence, object)
  const stuck = stuckDeletion(evidence, object)
  if (stuck.candidates.length > 0) return stuck
  return kind === 'PersistentVolumeClaim' ? claimCauses(evidence, object) : nothing
}

/** What is wrong with a subject, as it shows; empty where nothing is. */
function symptomOf(object: Json | undefined, looked: Looked): string {
  if (!object) return looked.candidates.length > 0 ? said('symptom.cluster').says : ''
  const ref = refOfObject(object)
  const status = record(object['status'])
  switch (text(object['kind'])) {
    case 'Pod':
      return isWellPod(object) && looked.candidates.length === 0
        ? ''
        : said('symptom.pod', {
            ref,
            phase: text(status['reason']) || text(status['phase']) || 'Pending',
          }).says
    case 'Node': {
      if (isWellNode(object)) return ''
      const ready = conditionsOf(object).find(({ type }) => type === 'Ready')
      return ready?.status === 'True'
        ? said('symptom.node-strained', { ref }).says
        : said('symptom.node', { ref }).says
    }
    default:
      return looked.candidates.length > 0 ? said('symptom.lacking', { ref }).says : ''
  }
}

const keyOf = (fact: Fact): string => `${fact.about} ${fact.text}`

/** Facts by what they are about, each once. */
function byAbout(facts: readonly Fact[]): ReadonlyMap<Ref, readonly string[]> {
  const result = new Map<Ref, string[]>()
  const seen = new Set<string>()
  for (const fact of facts) {
    const key = keyOf(fact)
    if (seen.has(key)) continue
    seen.add(key)
    const keys = result.get(fact.about)
    if (keys) keys.push(key)
    else result.set(fact.about, [key])
  }
  return result
}

/** How much of what needs explaining, about the objects of its chain, a candidate explains. */
function shareOf(candidate: Candidate, all: ReadonlyMap<Ref, readonly string[]>): number {
  const explained = new Set(candidate.facts.map(keyOf))
  if (explained.size === 0) return modest
  const own = new Set(explained)
  for (const { about } of candidate.chain) for (const key of all.get(about) ?? []) own.add(key)
  const share = explained.size / own.size
  return (candidate.isLesser ?? candidate.isInferred) ? share * modest : share
}

/** Facts that need explaining: what candidates rest on, and warnings that do not merely say again that something is wrong. */
function toExplain(
  evidence: Evidence,
  about: Ref,
  looked: Looked,
): ReadonlyMap<Ref, readonly string[]> {
  const refs = new Set([
    about,
    ...looked.candidates.flatMap(({ chain }) => chain.map((link) => link.about)),
  ])
  const warnings = [...refs].flatMap((ref) =>
    evidence
      .events(ref)
      .current.filter(({ isWarning, reason, message }) => isWarning && !restates(reason, message))
      .map(({ fact }) => fact),
  )
  return byAbout([...looked.candidates.flatMap((candidate) => candidate.facts), ...warnings])
}

/** What is known of a subject and its causes, without remedies; null where it is not among the objects. */
export function diagnosisOf(evidence: Evidence, about: Ref): Diagnosis | null {
  const object = about === 'cluster' ? undefined : evidence.object(about)
  if (about !== 'cluster' && !object) return null
  const looked = lookedAt(evidence, about, object)
  const symptom = symptomOf(object, looked)
  if (symptom === '') return { symptom, causes: [], ruledOut: looked.ruledOut, next: null }
  const facts = toExplain(evidence, about, looked)
  const causes = looked.candidates
    .map((candidate): DiagnosedCause => ({
      cause: candidate.cause,
      about: candidate.about,
      share: Math.round(1000 * shareOf(candidate, facts)) / 1000,
      says: said('cause.is', { cause: candidate.cause, about: candidate.about }).says,
      chain: candidate.chain,
      because: candidate.facts,
      remedies: [],
      ...(candidate.opening ? { opening: candidate.opening } : {}),
    }))
    .sort(
      (a, b) => b.share - a.share || compareText(a.cause, b.cause) || compareText(a.about, b.about),
    )
  const seen = new Set<string>()
  const listed = causes.filter((cause) => {
    const key = `${cause.cause} ${cause.about}`
    return !seen.has(key) && seen.add(key)
  })
  const [first, second] = listed
  const isUnclear = !first || first.share <= modest || first.share < 2 * (second?.share ?? 0)
  return {
    symptom,
    causes: listed,
    ruledOut: looked.ruledOut,
    next: isUnclear ? nextProbe(about, listed) : null,
  }
}

/** Causes that the facts speak for once the objects are others. */
export const lookAgain =
  (before: Evidence, about: Ref) =>
  (changed: readonly unknown[]): readonly Candidate[] => {
    const after = new Evidence(changed, before.logs, before.now, before.world, before)
    return lookedAt(after, about, about === 'cluster' ? undefined : after.object(about)).candidates
  }

export function diagnose(input: DiagnosisInput): Diagnosis | null {
  const { objects, logs = [], about, now, world = null } = input
  const evidence = new Evidence(objects, logs, Date.parse(now), () => world)
  const diagnosis = diagnosisOf(evidence, about)
  if (!diagnosis) return null
  const look = lookAgain(evidence, about)
  return {
    ...diagnosis,
    causes: diagnosis.causes.map(({ opening, ...cause }, place) => ({
      ...cause,
      remedies:
        place >= mostRemedied
          ? []
          : provenRemedies(opening ? { ...cause, opening } : cause, objects, evidence, look),
    })),
  }
}
