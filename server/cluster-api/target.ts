/** What a request of the open API asks for, out of its path. */
import { inVersion } from '~/core/objects'
import { apiVersionOf, type Served, type Subresource } from './resources'
import { ApiRefusal } from './status'

export interface Target {
  readonly served: Served
  /** Empty for what belongs to no namespace, null for all of them. */
  readonly namespace: string | null
  /** Null for all. */
  readonly name: string | null
  readonly subresource: Subresource | null
}

const unknownPath = (): ApiRefusal =>
  new ApiRefusal(404, 'the server could not find the requested resource', {})

/** Parts of a path; one that is not written as paths are is nowhere. */
function partsOf(path: string): readonly string[] {
  try {
    return path.split('/').filter(Boolean).map(decodeURIComponent)
  } catch {
    throw new ApiRefusal(400, 'the path is not encoded as paths are')
  }
}

/** The target of a path below /api/v1 or /apis/GROUP/VERSION; null for a path that is no resource’s. */
export function targetOf(path: string, served: readonly Served[]): Target | null {
  const parts = partsOf(path)
  const isCore = parts[0] === 'api'
  if (!isCore && parts[0] !== 'apis') return null
  const [group = '', version = ''] = isCore ? ['', parts[1]] : [parts[1], parts[2]]
  const rest = parts.slice(isCore ? 2 : 3)
  if (version === '' || rest.length === 0) return null
  if (!served.some((each) => each.group === group && each.version === version)) throw unknownPath()
  const find = (plural: string | undefined) =>
    served.find(
      (each) => each.group === group && each.version === version && each.resource.plural === plural,
    )
  const isScoped =
    rest[0] === 'namespaces' && rest.length >= 3 && find(rest[2])?.resource.isNamespaced === true
  const [plural, name, sub, ...more] = isScoped ? rest.slice(2) : rest
  const match = find(plural)
  if (!match || more.length > 0) throw unknownPath()
  if (!isScoped && match.resource.isNamespaced && name !== undefined) throw unknownPath()
  const subresource =
    sub === undefined ? null : match.resource.subresources.find((each) => each.name === sub)
  if (subresource === undefined) throw unknownPath()
  const everywhere = match.resource.isNamespaced ? null : ''
  return {
    served: match,
    namespace: isScoped ? (rest[1] ?? '') : everywhere,
    name: name ?? null,
    subresource,
  }
}

/** An object as the version that was asked for has it. */
export function asServed(
  served: Served,
  object: Readonly<Record<string, unknown>>,
): Readonly<Record<string, unknown>> {
  const apiVersion = apiVersionOf(served)
  if (served.resource.apiGroup === 'events.k8s.io') return laterEvent(object, apiVersion)
  return inVersion(object, apiVersion)
}

/** A time of whole seconds, written as finely as the later events are. */
const microTime = (time: unknown): unknown =>
  typeof time === 'string' ? time.replace(/(?:\.\d+)?Z$/, '.000000Z') : null

/** An event of the core group as the group of its own has it. */
function laterEvent(
  event: Readonly<Record<string, unknown>>,
  apiVersion: string,
): Readonly<Record<string, unknown>> {
  const { involvedObject, message, source, firstTimestamp, lastTimestamp, count, ...more } = event
  return {
    ...more,
    // Some clients read no event without it.
    eventTime: more['eventTime'] ?? microTime(firstTimestamp),
    apiVersion,
    regarding: involvedObject,
    note: message,
    deprecatedSource: source,
    deprecatedFirstTimestamp: firstTimestamp,
    deprecatedLastTimestamp: lastTimestamp,
    deprecatedCount: count,
  }
}

/** An object as it is kept, from the version that it was written in. */
export function asKept(
  served: Served,
  object: Readonly<Record<string, unknown>>,
): Readonly<Record<string, unknown>> {
  if (served.resource.apiGroup !== 'events.k8s.io') return object
  const {
    regarding,
    note,
    deprecatedSource,
    deprecatedFirstTimestamp,
    deprecatedLastTimestamp,
    deprecatedCount,
    eventTime,
    ...more
  } = object
  const given = {
    involvedObject: regarding,
    message: note,
    source: deprecatedSource,
    firstTimestamp: deprecatedFirstTimestamp ?? eventTime,
    lastTimestamp: deprecatedLastTimestamp ?? eventTime,
    count: deprecatedCount,
    eventTime,
  }
  return {
    ...more,
    ...Object.fromEntries(
      Object.entries(given).filter(([, value]) => value !== undefined && value !== null),
    ),
  }
}
