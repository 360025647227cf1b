/**
 * From a symptom to its causes: what the facts about a subject and what it stands on speak for, ranked by how much each
 * explains, with what contradicts others and what to look at next. Source: computations 12.
 */
import { type Json, record, text } from '../objects'
import { compareText } from '../units'
import type { Candidate, CauseCode, Link, Looked, RuledOut } from './causes'
import { clusterCauses } from './cluster'
import { conditionsOf, type Fact, Evidence, type Log, type Ref, refOfObject } from './facts'
import { restates } from './messages'
import { isWellNode, nodeCauses } from './nodes'
import { isWellPod, podCauses } from './pods'
import { nextProbe, type Probe } from './probes'
import { type DiagnosisRemedy, provenRemedies } from './remedies'
import { said } from './says'
import { serviceCauses, workloadCauses } from './workloads'

export interface DiagnosisInput {
  readonly objects: readonly unknown[]
  readonly logs?: readonly Log[]
  readonly about: Ref
  /** ISO. */
  readonly now: string
}

export interface DiagnosedCause {
  readonly cause: CauseCode
  readonly about: Ref
  /** Of the facts that need explaining, 0 to 1. */
  readonly share: number
  readonly says: string
  readonly chain: readonly Link[]
  readonly because: readonly Fact[]
  readonly remedies: readonly DiagnosisRemedy[]
}

export interface Diagnosis {
  /** Empty where the subject is well. */
  readonly symptom: string
  readonly causes: readonly DiagnosedCause[]
  readonly ruledOut: readonly RuledOut[]
  readonly next: Probe | null
}

/** Where too little is known: half at most. */
const modest = 0.5

const workloadKinds = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'ReplicaSet', 'Job'])

/** What is looked at for a subject. */
function lookedAt(evidence: Evidence, about: Ref, object: Json | undefined): Looked {
  if (!object) return clusterCauses(evidence)
  const kind = text(object['kind'])
  if (kind === 'Pod') return podCauses(evidence, object)
  if (kind === 'Node') return nodeCauses(evidence, object)
  if (kind === 'Service') return serviceCauses(evidence, object)
  if (workloadKinds.has(kind)) return workloadCauses(evidence, object)
  return { candidates: [], ruledOut: [], restating: [] }
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
        : said('symptom.node', { ref, message: ready?.message ?? '' }).says
    }
    default:
      return looked.candidates.length > 0 ? said('symptom.lacking', { ref }).says : ''
  }
}

const sameFact = (a: Fact, b: Fact): boolean => a.about === b.about && a.text === b.text

/** How much of what needs explaining a candidate explains. */
function shareOf(candidate: Candidate, all: readonly Fact[]): number {
  const explained = candidate.facts.length
  if (explained === 0) return modest
  const refs = new Set(candidate.chain.map(({ about }) => about))
  const own = all.filter(
    (fact) => refs.has(fact.about) || candidate.facts.some((each) => sameFact(each, fact)),
  )
  const share = Math.min(1, explained / Math.max(explained, own.length))
  return candidate.isLesser ? share * modest : share
}

/** Facts that need explaining: what candidates rest on, and warnings that do not merely say again that something is wrong. */
function toExplain(evidence: Evidence, about: Ref, looked: Looked): readonly Fact[] {
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
  const facts: Fact[] = []
  for (const fact of [...looked.candidates.flatMap((candidate) => candidate.facts), ...warnings])
    if (!facts.some((each) => sameFact(each, fact))) facts.push(fact)
  return facts
}

export function diagnose({ objects, logs = [], about, now }: DiagnosisInput): Diagnosis | null {
  const evidence = new Evidence(objects, logs, Date.parse(now))
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
    }))
    .sort(
      (a, b) => b.share - a.share || compareText(a.cause, b.cause) || compareText(a.about, b.about),
    )
  const listed = causes.filter(
    (cause, index) =>
      causes.findIndex((each) => each.cause === cause.cause && each.about === cause.about) ===
      index,
  )
  const [first, second] = listed
  const isUnclear = !first || first.share <= modest || first.share < 2 * (second?.share ?? 0)
  const look = (changed: readonly unknown[]) => {
    const after = new Evidence(changed, logs, Date.parse(now))
    return lookedAt(after, about, about === 'cluster' ? undefined : after.object(about)).candidates
  }
  return {
    symptom,
    causes: listed.map((cause) => ({
      ...cause,
      remedies: provenRemedies(cause, objects, evidence.objects, look),
    })),
    ruledOut: looked.ruledOut,
    next: isUnclear ? nextProbe(about, listed) : null,
  }
}
