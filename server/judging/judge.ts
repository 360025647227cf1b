/** A draft judged by a picture of the fleet: its findings, and its plan where nothing stops it. */
import { type Finding, type Plan, planDigest } from '~/core/changes'
import type { Ref } from '~/core/contract'
import type { FleetView } from '~/core/fleet'
import type { Draft, Needs } from '~/core/kinds'

export interface Judged {
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
  readonly digest: string | null
  /** What it touches. */
  readonly subjects: readonly Ref[]
}

/** What a draft and what it may be offered must see beyond what is at hand; null where that is all. */
export function unseenBy(draft: Draft, view: FleetView, seen: Needs): Needs | null {
  const offers = draft.offersNeed(view)
  const objectsOf = [...new Set([...seen.objectsOf, ...draft.objectsOf, ...offers.objectsOf])]
  const walksAt = [...new Set([...seen.walksAt, ...draft.walksAt, ...offers.walksAt])]
  const published = seen.published || draft.published || offers.published
  return objectsOf.length === seen.objectsOf.length &&
    walksAt.length === seen.walksAt.length &&
    published === seen.published
    ? null
    : { objectsOf, walksAt, published }
}

export function judge(draft: Draft, view: FleetView): Judged {
  const findings = draft.findings(view)
  const subjects = draft.subjects(view)
  if (findings.some((finding) => finding.level === 'stop'))
    return { findings, plan: null, digest: null, subjects }
  const plan = draft.plan(view)
  return { findings, plan, digest: planDigest(plan), subjects }
}
