/** Writing through a cluster’s API: what a request asks for becomes whole objects, and those a command of the contract. */
import { randomUUID } from 'node:crypto'
import { type FieldChange, immutableChanges, type WrittenObject } from '~/core/manifests'
import {
  defaulted,
  fieldAt,
  fieldsOf,
  isRecord,
  podSecurityBreaks,
  podSecurityLabel,
  record,
  text,
} from '~/core/objects'
import { applied, updated } from './applied'
import { alreadyExists, checked, invalid, type Json, objectOf, placed, valueOf } from './body'
import { commit, type Desk, isDryRun } from './commit'
import { deleted, deletedAll, evicted } from './delete'
import { scaleOf } from './handler'
import { type Answer, isAsked, type WriteRequest } from './request'
import type { Kept } from './mirror'
import { keepsWithin, permit } from './permit'
import { jsonPatched, mergePatched, strategicPatched } from './patches'
import { apiVersionOf } from './resources'
import { ApiRefusal, groupOf, notFound, qualified } from './status'
import { asKept, asServed, type Target } from './target'

const managerOf = ({ query, agent }: WriteRequest): string => {
  const given = query.get('fieldManager') ?? agent.split('/')[0] ?? ''
  if (given.length > 128)
    throw new ApiRefusal(422, 'fieldManager: Too long: may not be more than 128 bytes')
  return given === '' ? 'unknown' : given
}

const suffixLetters = 'bcdfghjklmnpqrstvwxz2456789'
const suffix = (): string =>
  Array.from(randomUUID().replaceAll('-', '').slice(0, 10).match(/../g) ?? [], (pair) =>
    suffixLetters.charAt(parseInt(pair, 16) % suffixLetters.length),
  ).join('')

/** With a name of its own where only its beginning is given. */
function named(object: Json): Json {
  const metadata = record(object['metadata'])
  const begins = text(metadata['generateName'])
  return text(metadata['name']) === '' && begins !== ''
    ? { ...object, metadata: { ...metadata, name: `${begins.slice(0, 248)}${suffix()}` } }
    : object
}

const served = ['resourceVersion', 'managedFields', 'selfLink', 'generation'] as const

/** An object as it is kept: without what the API tells of it. */
function kept(object: Json, more: Json): Json {
  const metadata = Object.fromEntries(
    Object.entries(record(object['metadata'])).filter(
      ([field]) => !(served as readonly string[]).includes(field),
    ),
  )
  return { ...object, metadata: { ...metadata, ...more } }
}

/** An object as the API has it once it is written: text of a secret becomes data. */
function normal(object: Json): Json {
  if (object['kind'] !== 'Secret' || !isRecord(object['stringData'])) return object
  const { stringData, ...more } = object
  const data = Object.entries(record(stringData)).map(([key, value]) => [
    key,
    Buffer.from(text(value)).toString('base64'),
  ])
  return { ...more, data: { ...record(object['data']), ...Object.fromEntries(data) } }
}

const codes = { create: 201, update: 200 } as const

/** Answers a request that writes. */
export async function writeTo(desk: Desk, request: WriteRequest): Promise<Answer> {
  const { verb, target } = request
  if (target.subresource?.name === 'eviction') return evicted(desk, request)
  switch (verb) {
    case 'create':
      return created(desk, request)
    case 'delete':
      return deleted(desk, request)
    case 'deletecollection':
      return deletedAll(desk, request)
    case 'update':
      return replaced(desk, request, objectOf(request))
    case 'patch':
      return patched(desk, request)
    default:
      throw new ApiRefusal(
        405,
        'the server does not allow this method on the requested resource',
        {},
      )
  }
}

async function created(desk: Desk, request: WriteRequest): Promise<Answer> {
  const { target, query } = request
  const object = normal(named(objectOf(request)))
  const name = text(record(object['metadata'])['name'])
  if (target.namespace === null)
    throw new ApiRefusal(405, 'the server does not allow this method on the requested resource', {})
  const warnings = checked(target, withoutStatus(object), query)
  if (desk.mirror.find(target.served.resource.kind, target.namespace, name))
    throw alreadyExists(target, name)
  const { status: _status, ...spec } = object
  return store(desk, request, {
    live: null,
    object: spec,
    owners: updated(null, spec, managerOf(request)),
    warnings,
  })
}

/** What a namespace wants to be told of pods that break its level, though they are taken. */
function podWarnings({ mirror }: Desk, { namespace, subresource }: Target, object: Json): string[] {
  if (namespace === null || namespace === '' || subresource !== null) return []
  const space = record(mirror.find('Namespace', '', namespace)?.object['metadata'])
  const level = text(record(space['labels'])[podSecurityLabel('warn')])
  const spec = record(object['spec'])
  const jobSpec = record(record(spec['jobTemplate'])['spec'])
  const template = record(record(jobSpec['template'] ?? spec['template'])['spec'])
  const broken = podSecurityBreaks(level, object['kind'] === 'Pod' ? spec : template)
  return broken.length === 0
    ? []
    : [`would violate PodSecurity "${level}:latest": ${broken.join(', ')}`]
}

interface Result {
  readonly live: Kept | null
  readonly object: Json
  readonly owners: Readonly<Record<string, string>>
  readonly warnings: readonly string[]
}

async function store(
  desk: Desk,
  { target, query, caller }: WriteRequest,
  { live, object, owners, warnings }: Result,
): Promise<Answer> {
  keepsWithin(caller, desk.mirror, target, object)
  const { kind } = target.served.resource
  const isDry = isDryRun(query)
  const before = record(live?.object['metadata'])
  const more = {
    uid: live ? live.uid : randomUUID(),
    creationTimestamp:
      text(before['creationTimestamp']) ||
      new Date(Math.floor(desk.outside.now / 1000) * 1000).toISOString().replace('.000', ''),
    ...(before['deletionTimestamp'] === undefined
      ? {}
      : { deletionTimestamp: before['deletionTimestamp'] }),
  }
  const whole: Json = {
    ...kept(asKept(target.served, object), more),
    apiVersion: apiVersionKept(target),
  }
  const metadata = record(object['metadata'])
  const isLast =
    more.deletionTimestamp !== undefined &&
    !(Array.isArray(metadata['finalizers']) && metadata['finalizers'].length > 0)
  await commit(desk, target, [{ object: isLast ? null : whole, owners }], [whole], isDry)
  const name = text(metadata['name'])
  const now = isDry || isLast ? null : desk.mirror.find(kind, target.namespace ?? '', name)
  const told = now?.object ?? {
    ...defaulted(whole),
    metadata: { ...record(whole['metadata']), resourceVersion: before['resourceVersion'] },
  }
  return {
    code: live ? codes.update : codes.create,
    object: target.subresource?.name === 'scale' ? scaleOf(told) : asServed(target.served, told),
    warnings: [...warnings, ...podWarnings(desk, target, whole)],
  }
}

/** An object is kept in the version in which it was written last; events in that of the core group. */
const apiVersionKept = ({ served }: Target): string =>
  served.resource.apiGroup === 'events.k8s.io' ? 'v1' : apiVersionOf(served)

const liveOf = (desk: Desk, target: Target): Kept => {
  const live = desk.mirror.find(
    target.served.resource.kind,
    target.namespace ?? '',
    target.name ?? '',
  )
  if (!live) throw notFound(target.served.resource, target.name ?? '')
  return live
}

/** Refuses what was read before somebody else wrote. */
function isFresh(target: Target, live: Kept, object: Json): void {
  const { resourceVersion, uid } = record(object['metadata'])
  const { resource } = target.served
  const details = { name: live.name, ...groupOf(resource), kind: resource.plural }
  if (
    typeof resourceVersion === 'string' &&
    resourceVersion !== '' &&
    resourceVersion !== String(live.version)
  )
    throw new ApiRefusal(
      409,
      `Operation cannot be fulfilled on ${qualified(resource)} "${live.name}": the object has been modified; please apply your changes to the latest version and try again`,
      details,
    )
  if (typeof uid === 'string' && uid !== '' && uid !== live.uid)
    throw new ApiRefusal(
      409,
      `Precondition failed: UID in precondition: ${uid.slice(0, 80)}, UID in object meta: ${live.uid}`,
      details,
    )
}

/** What a write changes of an object where a subresource alone is written. */
function within(target: Target, live: Json, object: Json): Json {
  const sub = target.subresource?.name
  if (sub === 'status') return { ...live, status: object['status'] }
  if (sub !== 'scale') return { ...object, status: live['status'] }
  const replicas = record(object['spec'])['replicas'] ?? 0
  if (typeof replicas !== 'number' || !Number.isInteger(replicas) || replicas < 0)
    throw invalid(target, object, [
      {
        reason: 'FieldValueInvalid',
        message: `Invalid value: ${JSON.stringify(replicas).slice(0, 40)}: must be greater than or equal to 0`,
        field: 'spec.replicas',
      },
    ])
  return { ...live, spec: { ...record(live['spec']), replicas } }
}

async function replaced(desk: Desk, request: WriteRequest, given: Json): Promise<Answer> {
  const { target, query } = request
  const live = liveOf(desk, target)
  isFresh(target, live, given)
  const asked = asServed(target.served, live.object)
  const object = normal(within(target, asked, given))
  const warnings = target.subresource === null ? checked(target, withoutStatus(object), query) : []
  stands(target, live.object, object)
  return store(desk, request, {
    live,
    object,
    owners: updated(asked, object, managerOf(request)),
    warnings,
  })
}

const withoutStatus = ({ status: _status, ...more }: Json): Json => more

/** Refuses to change what stands for good. */
function stands(target: Target, live: Json, written: Json): void {
  const object = defaulted(written)
  const paths = new Set([...fieldsOf(live).keys(), ...fieldsOf(object).keys()])
  const changes = [...paths].flatMap((path): readonly FieldChange[] => {
    const [before, wanted] = [fieldAt(live, path), fieldAt(object, path)]
    return JSON.stringify(before) === JSON.stringify(wanted)
      ? []
      : [{ path, live: before, wanted, owner: null }]
  })
  const fixed = immutableChanges(object as WrittenObject, live, changes)
  if (fixed.length > 0)
    throw invalid(
      target,
      object,
      fixed.map(({ path }) => ({
        reason: 'FieldValueInvalid',
        message: 'Invalid value: field is immutable',
        field: path.split('/').slice(1).join('.'),
      })),
    )
}

const patchTypes: Readonly<Record<string, (object: Json, patch: unknown) => unknown>> = {
  'application/json-patch+json': jsonPatched,
  'application/merge-patch+json': mergePatched,
  'application/strategic-merge-patch+json': strategicPatched,
}

async function patched(desk: Desk, request: WriteRequest): Promise<Answer> {
  const { target, contentType } = request
  if (contentType.startsWith('application/apply-patch+')) return appliedTo(desk, request)
  const patch = patchTypes[contentType]
  if (!patch)
    throw new ApiRefusal(
      415,
      `the body of the request was in an unknown format - accepted media types include: ${Object.keys(patchTypes).join(', ')}, application/apply-patch+yaml`,
    )
  const value = valueOf(request)
  if (value === undefined) throw new ApiRefusal(400, 'the body of the request is empty')
  const live = liveOf(desk, target)
  const asked = asServed(target.served, live.object)
  const shown = target.subresource?.name === 'scale' ? scaleOf(asked) : asked
  const result = patch(shown, value)
  if (!isRecord(result)) throw new ApiRefusal(422, 'the patch leaves no object')
  const before = JSON.stringify(record(record(shown)['metadata'])['resourceVersion'])
  const metadata = record(result['metadata'])
  // A version that the patch itself did not set says nothing.
  const { resourceVersion, ...more } = metadata
  const own = JSON.stringify(resourceVersion) === before ? { ...result, metadata: more } : result
  return replaced(desk, request, placed(target, own))
}

async function appliedTo(desk: Desk, request: WriteRequest): Promise<Answer> {
  const { target, query } = request
  const manager = query.get('fieldManager') ?? ''
  if (manager === '')
    throw new ApiRefusal(
      400,
      'PatchOptions.meta.k8s.io "" is invalid: fieldManager: Required value: is required for apply patch',
    )
  const value = valueOf(request)
  if (!isRecord(value)) throw new ApiRefusal(400, 'the body of an apply is an object')
  if (record(value['metadata'])['managedFields'] !== undefined)
    throw new ApiRefusal(400, 'metadata.managedFields must be nil')
  const wanted = placed(target, value)
  const live = desk.mirror.find(
    target.served.resource.kind,
    target.namespace ?? '',
    target.name ?? '',
  )
  if (live) isFresh(target, live, wanted)
  else permit(request.caller, target, 'create')
  const asked = live ? asServed(target.served, live.object) : null
  const isForced = isAsked(query, 'force')
  const result = applied(target.served.resource, asked, wanted, { manager, isForced })
  const warnings = checked(target, withoutStatus(result.object), query)
  if (live) stands(target, live.object, result.object)
  return store(desk, request, {
    live: live ?? null,
    object: normal(result.object),
    owners: result.owners,
    warnings,
  })
}
