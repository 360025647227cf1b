/** What is asked to be applied, and what it would change. */
import { z } from 'zod'
import type { ParsedManifests } from './parse'
import { parseManifests, objectKey } from './parse'
import type { ApiObject } from '../objects'
import { type FleetView, listedObjects } from '../fleet'
import type { ObjectChange } from './diff'
import { without, changeOf } from './diff'

/** The name under which Gyrarch writes fields. */
export const ownManager = 'gyrarch'
export const applyIntent = z.strictObject({
  cluster: z.string().max(253),
  text: z.string().max(8 * 1024 * 1024),
  /** In whose name fields are written; files of a team and edits by hand are told apart by it. */
  manager: z
    .string()
    .max(128)
    .regex(/^[a-z0-9][-a-z0-9.]*$/, 'Small letters, digits, - and dots.')
    .default(ownManager),
  /** For fields that somebody else wrote: keep theirs, or take ours. By object and path. */
  resolve: z.record(z.string().max(2000), z.enum(['keep', 'take'])).default({}),
})

export type ApplyIntent = z.infer<typeof applyIntent>
export const parsed = new WeakMap<ApplyIntent, ParsedManifests>()
/** The documents of an intent; read once. */
export function documentsOf(intent: ApplyIntent): ParsedManifests {
  const parsedManifests = parsed.get(intent)
  if (parsedManifests) return parsedManifests
  const read = parseManifests(intent.text)
  parsed.set(intent, read)
  return read
}

export const byKey = new WeakMap<readonly ApiObject[], ReadonlyMap<string, ApiObject>>()
/** Live objects by `Kind/namespace/name`. */
export function liveObjects(view: FleetView, cluster: string): ReadonlyMap<string, ApiObject> {
  const list = listedObjects(view, cluster)
  const existing = byKey.get(list)
  if (existing) return existing
  const map = new Map(list.map((object) => [objectKey(object), object]))
  byKey.set(list, map)
  return map
}

export const conflictKey = (change: ObjectChange, path: string): string => `${change.key} ${path}`
/** What an apply would do to each object, with the choices made about conflicts. */
export function changesOf(intent: ApplyIntent, view: FleetView): readonly ObjectChange[] {
  const live = liveObjects(view, intent.cluster)
  return documentsOf(intent).documents.map(({ object }) => {
    const change = changeOf(object, live.get(objectKey(object)), intent.manager)
    const kept = change.conflicts
      .filter((field) => intent.resolve[conflictKey(change, field.path)] === 'keep')
      .map((field) => field.path)
    if (kept.length === 0) return change
    return changeOf(without(object, kept), live.get(change.key), intent.manager)
  })
}

export const pointer = (text: string): string => text.replaceAll('~', '~0').replaceAll('/', '~1')
export const shown = (value: unknown): string => {
  let text: string
  if (value === undefined) text = 'nothing'
  else if (typeof value === 'string') text = value
  else text = JSON.stringify(value)
  return text.length > 60 ? `${text.slice(0, 57)}…` : text
}

export const rolling = new Set(['Deployment', 'StatefulSet', 'DaemonSet', 'Job'])
