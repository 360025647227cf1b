/** A draft judged by the fleet as it is: its findings, and its plan where nothing stops it. */
import { type Finding, type Plan, planDigest } from '~/core/changes'
import type { FleetView } from '~/core/fleet'
import { type Draft } from '~/core/kinds'
import type { Fleet } from '../fleet/fleet'

export interface Judged {
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
  readonly digest: string | null
}

/** The fleet with everything that a draft, and what it may be offered, must see. */
export async function viewFor(fleet: Fleet, draft: Draft): Promise<FleetView> {
  const view = await fleet.viewFor(draft.objectsOf, draft.walksAt)
  const more = draft.offersNeed(view)
  if (more.objectsOf.length + more.walksAt.length === 0) return view
  const objectsOf = [...new Set([...draft.objectsOf, ...more.objectsOf])]
  return fleet.viewFor(objectsOf, [...new Set([...draft.walksAt, ...more.walksAt])])
}

export function judge(draft: Draft, view: FleetView): Judged {
  const findings = draft.findings(view)
  if (findings.some((finding) => finding.level === 'stop'))
    return { findings, plan: null, digest: null }
  const plan = draft.plan(view)
  return { findings, plan, digest: planDigest(plan) }
}
