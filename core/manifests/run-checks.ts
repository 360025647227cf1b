/** Whether what is written would run, and who would still reach whom. */
import type { RawFinding } from '../changes'
import { type ClusterView, type FleetView, listedObjects } from '../fleet'
import { fieldsOf, isIdentity, withFields } from '../objects'
import { wayFindings } from '../wire/changes/ways'
import { withObjects } from '../wire/changes/written'
import { type ApplyIntent, liveObjects } from './apply-intent'
import type { ObjectChange } from './diff'
import { objectKey, tidied, type WrittenObject } from './parse'
import { placingFindings } from './place-checks'
import { quotaFindings } from './quota-checks'
import { claimFindings, deniedFindings, imageFindings, ruleFindings } from './supply-checks'
import { wantedAtMost, wantedBy } from './wanted-pods'

/** A part of an object as the whole that it makes with what lives. */
export function wholeOf(
  object: WrittenObject,
  intent: ApplyIntent,
  view: FleetView,
): WrittenObject {
  const live = liveObjects(view, intent.cluster).get(objectKey(object))
  if (!live) return object
  const whole = withFields(
    tidied(live as WrittenObject),
    [],
    [...fieldsOf(object)].filter(([path]) => !isIdentity(path)),
  )
  return { ...whole, apiVersion: object.apiVersion }
}

/** Whether what is written would run: asked only of what the API would take. */
export function runFindings(
  intent: ApplyIntent,
  changes: readonly ObjectChange[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const live = listedObjects(view, intent.cluster)
  const changed = changes.filter((change) => change.kind !== 'same')
  const after = changed.map((change) => wholeOf(change.object, intent, view))
  const wanted = [
    ...changed.flatMap(
      (change, i) => wantedBy(after[i] ?? change.object, change, live, after) ?? [],
    ),
    ...after.flatMap((object) =>
      object.kind === 'HorizontalPodAutoscaler' ? (wantedAtMost(object, after, live) ?? []) : [],
    ),
  ]
  return [
    ...placingFindings(intent, wanted, after, cluster, view),
    ...quotaFindings(intent, wanted, after, cluster, view),
    ...imageFindings(after, cluster, view),
    ...deniedFindings(after, cluster, view),
    ...ruleFindings(after, cluster, view),
    ...claimFindings(intent, after, cluster, view),
  ]
}

/** Objects that decide who reaches whom. */
const deciding = new Set(['NetworkPolicy', 'Service', 'EndpointSlice'])

/** Their names as a text has them; behind a backslash any name may hide. */
const decidingText = new RegExp([...deciding, '\\\\'].join('|'))

/** Whether a text may hold objects that decide who reaches whom: told without reading it, so sooner once too often. */
export const mayDecideWays = ({ text }: ApplyIntent): boolean => decidingText.test(text)

/** The fleet once objects are written: each as the whole that it makes with what lives. */
export const viewAfter = (
  intent: ApplyIntent,
  changes: readonly ObjectChange[],
  view: FleetView,
): FleetView =>
  withObjects(
    view,
    intent.cluster,
    changes
      .filter((change) => change.kind !== 'same')
      .map((change) => wholeOf(change.object, intent, view)),
  )

/** Calls and expectations that would end, or arrive, because of what is written. */
export function wayChanges(
  intent: ApplyIntent,
  changes: readonly ObjectChange[],
  view: FleetView,
): readonly RawFinding[] {
  const written = changes.filter(
    (change) => change.kind !== 'same' && deciding.has(change.object.kind),
  )
  if (written.length === 0) return []
  const after = viewAfter(intent, written, view)
  return wayFindings(view, after, [intent.cluster], 'text').filter(
    ({ level, rule }) => level !== 'note' || rule !== `calls.${intent.cluster}`,
  )
}
