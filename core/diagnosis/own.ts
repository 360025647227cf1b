/** Candidates about a pod, and what else its parts share. */
import { type Json, record, text } from '../objects'
import type { Candidate, CauseCode, Looked } from './causes'
import { type Fact, refOfObject } from './facts'
import { said } from './says'

export const namespaceOf = (object: Json): string =>
  text(record(object['metadata'])['namespace']) || 'default'

export const status = (object: Json): Json => record(object['status'])

/** A candidate about the pod itself. */
export const own = (
  pod: Json,
  cause: CauseCode,
  facts: readonly Fact[],
  about = refOfObject(pod),
): Candidate => ({
  cause,
  about,
  facts,
  chain: [
    { about, says: facts[0]?.text ?? said('cause.is', { cause, about }).says },
    ...(about === refOfObject(pod)
      ? []
      : [{ about: refOfObject(pod), says: said('pod.held').says }]),
  ],
})

export const looked = (
  candidates: readonly Candidate[],
  restating: readonly Fact[] = [],
): Looked => ({
  candidates,
  ruledOut: [],
  restating,
})
