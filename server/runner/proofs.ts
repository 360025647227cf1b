/** Whether a run did what it was for, and what it left behind. */
import type { Proof } from '~/core/changes'
import { effectOf, type Ref, type Said } from '~/core/contract'
import { type FleetView, stands } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import type { ApiObject } from '~/core/objects'
import { countText, listText } from '~/core/units'
import { z } from 'zod'
import type { Fleet } from '../fleet/fleet'
import type { StepRow } from '../records/models'
import { type Active, resultsOf } from './active'
import { resolvedArgs } from './graph-state'
import type { RunnerParts } from './parts'
import { said } from './says'

/** What proofs are made with. */
export type ProofParts = Pick<RunnerParts, 'fleet' | 'judges'>

/** What is expected of anybody is walked again after every change. */
async function expected({ fleet, judges }: ProofParts, view: FleetView): Promise<readonly Proof[]> {
  if ((view.expectations ?? []).length === 0) return []
  return (await judges.expectations(await fleet.withExpected(view))).map((expectation) => ({
    says: `${expectation.name}: ${expectation.wanted ? 'reached' : 'not reached'}`,
    holds: expectation.holds,
    observed: expectation.says,
  }))
}

async function proven(parts: ProofParts, active: Active): Promise<Proven> {
  const { fleet, judges } = parts
  const read = kindNamed(active.row.kind)?.read(active.row.intent)
  if (!read?.ok)
    throw new Error(`change ${active.row.number} holds an intent that its kind does not read`)
  fleet.touchRegister()
  const view = await fleet.viewFor(read.draft.objectsOf, read.draft.walksAt, read.draft.published)
  const own = await judges.prove(active.row.kind, read.draft, resultsOf(active), view)
  // What is expected is shown, but a change is not undone for what others broke.
  const told = new Set(own.map(({ says }) => says))
  const proof = [...own, ...(await expected(parts, view)).filter(({ says }) => !told.has(says))]
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
  parts: ProofParts & Pick<RunnerParts, 'onError'>,
  active: Active,
): Promise<Proven> =>
  proven(parts, active).catch((error: unknown) => {
    parts.onError(error)
    return { proof: [], objection: said('proofs.failed') }
  })

/** What a command had written into a cluster’s API: what was not there before, and what was. */
const written = z.object({
  before: z.array(
    z.object({
      object: z.unknown().nullable(),
      identity: z.looseObject({
        kind: z.string(),
        metadata: z.looseObject({ name: z.string(), namespace: z.string().optional() }),
      }),
    }),
  ),
})

const nameOf = ({ kind, metadata }: ApiObject): string =>
  [kind, metadata?.namespace ?? '', metadata?.name ?? ''].filter((part) => part !== '').join('/')

interface Looked {
  /** What was looked for, and of that what is there. */
  readonly made: readonly string[]
  readonly left: readonly string[]
  readonly removed: readonly string[]
  readonly missing: readonly string[]
}

/** Objects of an API that a step which was undone had written. */
async function lookedAtObjects(fleet: Fleet, step: StepRow): Promise<Looked | null> {
  const read = written.safeParse(step.result)
  const cluster = step.command.args['cluster']
  if (!read.success || typeof cluster !== 'string') return null
  const objects = await fleet.objectsOf(cluster)
  if (!objects) return null
  const there = new Set(objects.map(nameOf))
  const named = (isNew: boolean): readonly string[] =>
    read.data.before
      .filter(({ object }) => (object === null) === isNew)
      .map(({ identity }) => nameOf(identity))
  const [made, removed] = [named(true), named(false)]
  return {
    made,
    left: made.filter((name) => there.has(name)),
    removed,
    missing: removed.filter((name) => !there.has(name)),
  }
}

/** Whatever else commands that were undone had made or removed, as far as the fleet tells of such things. */
function lookedAt(view: FleetView, active: Active, steps: readonly StepRow[]): Looked {
  const results = resultsOf(active)
  const effects = steps.map(({ command }) =>
    effectOf({ verb: command.verb, args: resolvedArgs(command.args, results) }),
  )
  const told = (refs: readonly Ref[]): readonly Ref[] =>
    [...new Set(refs)].filter((about) => stands(view, about) !== undefined)
  const made = told(effects.flatMap(({ makes }) => makes))
  const removed = told(effects.flatMap(({ removes }) => removes)).filter(
    (about) => !made.includes(about),
  )
  return {
    made,
    left: made.filter((about) => stands(view, about) === true),
    removed,
    missing: removed.filter((about) => stands(view, about) === false),
  }
}

/**
 * The proofs of a run that was taken back: what its commands had made is gone, what they had removed or written over is
 * there again, and what is expected of anybody.
 */
export async function backProofs(parts: ProofParts, active: Active): Promise<readonly Proof[]> {
  const { fleet } = parts
  fleet.touchRegister()
  const view = await fleet.view()
  const undone = [...active.steps.values()].filter((step) => step.state === 'undone')
  const all = [lookedAt(view, active, undone)]
  for (const step of undone) {
    const objects = await lookedAtObjects(fleet, step)
    if (objects) all.push(objects)
  }
  const made = all.flatMap((looked) => looked.made)
  const left = all.flatMap((looked) => looked.left)
  const removed = all.flatMap((looked) => looked.removed)
  const missing = all.flatMap((looked) => looked.missing)
  const proofs: Proof[] = []
  if (made.length > 0 || removed.length === 0)
    proofs.push({
      says: 'Nothing that it had made is left',
      holds: left.length === 0,
      observed:
        left.length === 0
          ? `${countText(made.length, 'thing')} looked for, none there`
          : `left: ${listText(left, 12)}`,
    })
  if (removed.length > 0)
    proofs.push({
      says: 'What it had removed or written over is there again',
      holds: missing.length === 0,
      observed:
        missing.length === 0
          ? `${removed.length} of ${removed.length} are there`
          : `not there: ${listText(missing, 12)}`,
    })
  return [...proofs, ...(await expected(parts, view))]
}
