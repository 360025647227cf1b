/** Causes by their codes, and candidates for them. */
import type { Fact, Ref } from './fact'

export const causeCodes = [
  'runtime-down',
  'agent-stopped',
  'machine-gone',
  'disk-full',
  'memory-short',
  'pids-short',
  'clock-off',
  'certificate-expired',
  'api-unreachable',
  'webhook-blocks-system-pods',
  'network-plugin-broken',
  'cordoned',
  'no-room',
  'taint',
  'selector',
  'affinity',
  'spread',
  'host-port',
  'volume-elsewhere',
  'claim-unbound',
  'gated',
  'quota',
  'limit-range',
  'no-nodes',
  'pod-security',
  'webhook-refuses',
  'webhook-unreachable',
  'sandbox-network',
  'image-missing',
  'image-denied',
  'image-name-invalid',
  'pull-limit',
  'registry-unreachable',
  'architecture-wrong',
  'config-missing',
  'account-missing',
  'user-refused',
  'crash',
  'command-missing',
  'not-executable',
  'hook-failed',
  'memory-killed',
  'startup-probe',
  'liveness-probe',
  'readiness-probe',
  'init-failing',
  'mount-failed',
  'attached-elsewhere',
  'evicted-pressure',
  'own-storage-limit',
  'node-lost',
  'finalizer-stuck',
  'no-match',
  'endpoints-not-ready',
  'port-wrong',
  'policy-blocks',
  'address-pending',
  'name-not-resolved',
  'rollout-stuck',
  'quorum-lost',
  'member-down',
  'store-slow',
  'store-full',
  'api-overloaded',
] as const
export type CauseCode = (typeof causeCodes)[number]

export interface Link {
  readonly about: Ref
  readonly says: string
}

/** A step of a JSON Patch. */
export interface Operation {
  readonly op: string
  /** Below the input, as `/objects/3/spec/unschedulable`. */
  readonly path: string
  readonly value?: unknown
}

export interface DiagnosisRemedy {
  readonly says: string
  readonly patch: readonly Operation[]
}

/** A rule that lets through what a policy keeps back. */
export interface PolicyOpening {
  readonly side: 'ingress' | 'egress'
  readonly rule: Readonly<Record<string, unknown>>
}

/** A cause that some facts speak for. */
export interface Candidate {
  readonly cause: CauseCode
  readonly about: Ref
  readonly facts: readonly Fact[]
  /** From the cause to what was asked about. */
  readonly chain: readonly Link[]
  /** One that holds for some of it only, as a scheduler’s reason of nodes that did not get far. */
  readonly isLesser?: boolean
  /** One that no fact names: it is left over where nothing lower is known. */
  readonly isInferred?: boolean
  /** What a policy would have to let through as well. */
  readonly opening?: PolicyOpening
}

/** A candidate that a fact contradicts. */
export interface RuledOut {
  readonly cause: CauseCode
  readonly says: string
}

/** What was looked at: candidates, what contradicts others, and facts that merely say again that something is wrong. */
export interface Looked {
  readonly candidates: readonly Candidate[]
  readonly ruledOut: readonly RuledOut[]
  /** Facts about what was looked at that no candidate need explain. */
  readonly restating: readonly Fact[]
}

export const nothing: Looked = { candidates: [], ruledOut: [], restating: [] }

export const together = (...all: readonly Looked[]): Looked => ({
  candidates: all.flatMap(({ candidates }) => candidates),
  ruledOut: all.flatMap(({ ruledOut }) => ruledOut),
  restating: all.flatMap(({ restating }) => restating),
})

/** Each cause about each object once: many pods that wait for one node have one cause. */
export function distinct(looked: Looked): Looked {
  const seen = new Set<string>()
  return {
    ...looked,
    candidates: looked.candidates.filter(({ cause, about }) => {
      const key = `${cause} ${about}`
      return !seen.has(key) && seen.add(key)
    }),
  }
}

/** What was looked at on the way, one link further from the cause. */
export const further = (looked: Looked, link: Link): Looked => ({
  ...looked,
  candidates: looked.candidates.map((candidate) =>
    candidate.chain.some(({ about }) => about === link.about)
      ? candidate
      : { ...candidate, chain: [...candidate.chain, link] },
  ),
})
