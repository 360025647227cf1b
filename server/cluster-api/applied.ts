/** Server-side apply: fields of one manager set, what it no longer sets taken away, who stands against it. */
import {
  asText,
  allOwners,
  asUpdate,
  causeField,
  fieldAt,
  fieldsOf,
  isIdentity,
  isRecord,
  ownersIn,
  withFields,
} from '~/core/objects'
import { ApiRefusal, groupOf, qualified, type StatusCause } from './status'
import type { Resource } from './resources'

type Json = Readonly<Record<string, unknown>>
type Owners = Readonly<Record<string, string>>

/** Fields that the API sets itself, and that nobody owns. */
const itsOwn =
  /^\/(status|metadata\/(uid|resourceVersion|generation|creationTimestamp|managedFields|selfLink|deletionTimestamp))(\/|$)/
const isOwned = (path: string): boolean => !isIdentity(path) && !itsOwn.test(path)

export const ownersOf = (object: Json | null): Owners =>
  allOwners((object?.['metadata'] as Json | undefined)?.['managedFields'])

const joined = (names: readonly string[]): string => [...new Set(names)].join('\n')

const differs = (left: unknown, right: unknown): boolean =>
  JSON.stringify(left) !== JSON.stringify(right)

/** The object once a manager has applied what it wants; refused with each field that another owns, unless forced. */
export function applied(
  resource: Resource,
  live: Json | null,
  wanted: Json,
  { manager, isForced }: { readonly manager: string; readonly isForced: boolean },
): { readonly object: Json; readonly owners: Owners } {
  const owners: Record<string, string> = { ...ownersOf(live) }
  // An empty map asks for a map, not that nothing be in it.
  const fields = [...fieldsOf(wanted)].filter(
    ([path, value]) =>
      isOwned(path) &&
      !(isRecord(value) && Object.keys(value).length === 0 && isRecord(fieldAt(live, path))),
  )
  const causes: StatusCause[] = []
  for (const [path, value] of fields) {
    const others = ownersIn(owners[path] ?? '').filter((name) => name !== '' && name !== manager)
    if (others.length === 0 || !differs(fieldAt(live, path), value)) continue
    if (isForced) delete owners[path]
    else
      for (const name of others)
        causes.push({
          reason: 'FieldManagerConflict',
          message: `conflict with "${name.split('\t')[0] ?? ''}"${name.includes('\t') ? ' using Update' : ''}`,
          field: causeField(path),
        })
  }
  if (causes.length > 0) throw conflict(resource, wanted, causes)
  const own = new Set(fields.map(([path]) => path))
  const gone: string[] = []
  for (const [path, text] of Object.entries(owners)) {
    if (own.has(path) || !ownersIn(text).includes(manager)) continue
    const left = ownersIn(text).filter((name) => name !== manager)
    if (left.length > 0) owners[path] = joined(left)
    else {
      delete owners[path]
      gone.push(path)
    }
  }
  for (const path of own)
    owners[path] = joined([...ownersIn(owners[path] ?? '').filter((name) => name !== ''), manager])
  const { apiVersion, kind, metadata } = wanted
  const { name, namespace } = metadata as Json
  const base = live ?? {
    apiVersion,
    kind,
    metadata: { name, ...(namespace === undefined ? {} : { namespace }) },
  }
  return { object: withFields(base, gone, fields), owners }
}

function conflict(resource: Resource, wanted: Json, causes: readonly StatusCause[]): ApiRefusal {
  const name = asText((wanted['metadata'] as Json)['name'])
  return new ApiRefusal(
    409,
    `Apply failed with ${causes.length} conflict${causes.length === 1 ? '' : 's'}: ${causes.map((cause) => `${cause.message}: ${cause.field ?? ''}`).join('\n')}`,
    { name, ...groupOf(resource), kind: qualified(resource), causes },
  )
}

/** Who owns what once somebody has written a whole object: what differs from before is his. */
export function updated(live: Json | null, object: Json, manager: string): Owners {
  const before = ownersOf(live)
  const name = asUpdate(manager)
  const owners: Record<string, string> = {}
  for (const [path, value] of fieldsOf(object)) {
    if (!isOwned(path)) continue
    const held = before[path]
    if (live === null || differs(fieldAt(live, path), value)) owners[path] = name
    else if (held !== undefined) owners[path] = held
  }
  return owners
}
