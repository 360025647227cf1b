/** When a member of a set has its turn: after the soak, in its window, and only while what is required holds. */
import type { Said } from '~/core/contract'
import { clusterState, stateContext } from '~/core/fleet'
import { compositeOf } from '~/core/kinds'
import { memberWorst, type SetIntent } from '~/core/sets'
import { nextOccurrence, occurrencesOf, windowNamed } from '~/core/windows'
import type { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import type { ChangesParts } from './parts'
import { said } from './says'

/** What a set was made of when it began. */
export function setOf(row: ChangeRow): SetIntent {
  const composite = compositeOf(row.kind, row.intent)
  if (!composite) throw new Error(`${changeId(row.number)} is not made of changes`)
  return composite.set
}

/** When the next may begin (ms): after the soak of the last, and while its window is open; null is now. */
export async function turnAt(
  parts: ChangesParts,
  row: ChangeRow,
  intent: SetIntent,
  children: readonly ChangeRow[],
  position: number,
): Promise<number | null> {
  const { now } = parts.clock
  const wave = intent.drafts[position]?.wave ?? null
  const isSoaked = ({ position: at }: ChangeRow): boolean =>
    wave !== null && (intent.drafts[at ?? -1]?.wave ?? null) === wave
  const ends = children.flatMap((child) =>
    child.endedAt && !isSoaked(child) ? [Date.parse(child.endedAt)] : [],
  )
  const soaked = ends.length === 0 ? 0 : Math.max(...ends) + intent.soakSeconds * 1000
  if (soaked > now) return soaked
  const name = intent.drafts[position]?.window ?? null
  const view = await parts.fleet.view()
  const window = name === null ? undefined : windowNamed(view, name)
  if (!window) return null
  const open = occurrencesOf([window], now, now + 1).find(
    ({ start: from, end }) => from <= now && now < end,
  )
  if (!open) return nextOccurrence(window, now)?.start ?? null
  // What would not end in the rest of it waits for the next one, if that is long enough.
  const worst = row.plan ? memberWorst(row.plan, position) * 1000 : 0
  const next = now + worst > open.end ? nextOccurrence(window, open.end) : null
  return next && next.end - next.start >= worst ? next.start : null
}

/** What is required before the next begins, and does not hold; null where all is well. */
export async function unmet(
  parts: ChangesParts,
  intent: SetIntent,
  children: readonly ChangeRow[],
): Promise<Said | null> {
  if (intent.requires === 'nothing' || children.length === 0) return null
  const { fleet, judges } = parts
  const view = await fleet.view()
  if (intent.requires === 'walks') {
    const expected = await judges.expectations(await fleet.withExpected(view))
    const broken = expected.filter(({ holds }) => !holds)
    return broken.length === 0
      ? null
      : said('set.walks-broken', { walks: broken.map(({ name }) => name) })
  }
  const touched = new Set(
    children.flatMap(({ subjects }) => (subjects ?? []).map((subject) => subject.split('/')[1])),
  )
  const context = stateContext(view)
  const broken = view.clusters.filter(
    (cluster) => touched.has(cluster.name) && clusterState(cluster, context).state === 'broken',
  )
  return broken.length === 0
    ? null
    : said('set.broken', { clusters: broken.map(({ name }) => name) })
}
