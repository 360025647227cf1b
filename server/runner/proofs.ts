/** Whether a run did what it was for, and what it left behind. */
import type { Proof } from '~/core/changes'
import { effectOf, type Said } from '~/core/contract'
import { type FleetView, stands } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import { expectations } from '~/core/wire'
import type { Fleet } from '../fleet/fleet'
import { type Active, resultsOf } from './active'
import { resolvedArgs } from './graph-state'
import type { RunnerParts } from './parts'
import { said } from './says'

/** What is expected of anybody is walked again after every change. */
async function expected(fleet: Fleet, view: FleetView): Promise<readonly Proof[]> {
  if ((view.expectations ?? []).length === 0) return []
  return expectations(await fleet.withExpected(view)).map((expectation) => ({
    says: `${expectation.name}: ${expectation.wanted ? 'reached' : 'not reached'}`,
    holds: expectation.holds,
    observed: expectation.says,
  }))
}

async function proven(fleet: Fleet, active: Active): Promise<Proven> {
  const read = kindNamed(active.row.kind)?.read(active.row.intent)
  if (!read?.ok)
    throw new Error(`change ${active.row.number} holds an intent that its kind does not read`)
  fleet.touchRegister()
  const view = await fleet.viewFor(read.draft.objectsOf, read.draft.walksAt)
  const own = read.draft.prove(view, resultsOf(active))
  // What is expected is shown, but a change is not undone for what others broke.
  const proof = [...own, ...(await expected(fleet, view))]
  const broken = own.filter((item) => !item.holds)
  const objection =
    broken.length === 0
      ? null
      : said('proofs.broken', {
          proofs: proof.length,
          broken: broken.map((item) => `${item.says}: ${item.observed}`),
        })
  return { proof, objection }
}

export interface Proven {
  readonly proof: readonly Proof[]
  /** Why the run is not done although its steps are, or null. */
  readonly objection: Said | null
}

/**
 * The proofs of a run whose steps are done, by the fleet as it is now, with those of what is expected of anybody. A
 * proof that fails by the program’s own error is told, and the run is not done: it never stays under way for that.
 */
export const proofsOf = (
  { fleet, onError }: Pick<RunnerParts, 'fleet' | 'onError'>,
  active: Active,
): Promise<Proven> =>
  proven(fleet, active).catch((error: unknown) => {
    onError(error)
    return { proof: [], objection: said('proofs.failed') }
  })

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
