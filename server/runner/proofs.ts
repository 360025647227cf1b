/** Whether a run did what it was for, and what it left behind. */
import type { Proof } from '~/core/changes'
import { effectOf } from '~/core/contract'
import { type FleetView, stands } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import { expectations } from '~/core/wire'
import type { Fleet } from '../fleet/fleet'
import { type Active, resultsOf } from './active'
import { resolvedArgs } from './graph-state'

/** What is expected of anybody is walked again after every change. */
async function expected(fleet: Fleet, view: FleetView): Promise<readonly Proof[]> {
  if ((view.expectations ?? []).length === 0) return []
  return expectations(await fleet.withExpected(view)).map((expectation) => ({
    says: `${expectation.name}: ${expectation.wanted ? 'reached' : 'not reached'}`,
    holds: expectation.holds,
    observed: expectation.says,
  }))
}

/**
 * The proofs of a run whose steps are done, by the fleet as it is now: `proven` are those of its kind, `proof` has what
 * is expected of others as well. That is shown, but a change is not undone for what others broke.
 */
export async function proofsOf(
  fleet: Fleet,
  active: Active,
): Promise<{ readonly proven: readonly Proof[]; readonly proof: readonly Proof[] }> {
  const read = kindNamed(active.row.kind)?.read(active.row.intent)
  if (!read?.ok)
    throw new Error(`change ${active.row.number} holds an intent that its kind does not read`)
  fleet.touchRegister()
  const view = await fleet.viewFor(read.draft.objectsOf, read.draft.walksAt)
  const proven = read.draft.prove(view, resultsOf(active))
  return { proven, proof: [...proven, ...(await expected(fleet, view))] }
}

/** What a run that was taken back has left after all: whatever its commands make and the fleet still shows. */
export async function leftBehind(fleet: Fleet, active: Active): Promise<string> {
  fleet.touchRegister()
  const view = await fleet.view()
  const results = resultsOf(active)
  const made = [...active.steps.values()].flatMap(
    ({ command }) =>
      effectOf({ verb: command.verb, args: resolvedArgs(command.args, results) }).makes,
  )
  const left = [...new Set(made)].filter((about) => stands(view, about) === true)
  return left.length === 0 ? 'nothing is left' : `left: ${left.join(', ')}`
}
