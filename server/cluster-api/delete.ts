/** Deleting through a cluster’s API: what depends goes with it or stays behind, budgets are kept, finalizers are waited for. */
import { isRecord, list, record, text } from '~/core/objects'
import { type Json, valueOf } from './body'
import type { Answer, WriteRequest } from './request'
import type { Kept } from './mirror'
import { apiVersionOf } from './resources'
import { testOf } from './selectors'
import { ApiRefusal, groupOf, notFound, qualified, success } from './status'
import { asServed, type Target } from './target'
import { commit, type Desk, isDryRun } from './commit'

type Policy = 'Background' | 'Foreground' | 'Orphan'

interface Options {
  readonly policy: Policy
  readonly uid: string | null
  readonly version: string | null
  readonly isDry: boolean
}

const policies: readonly string[] = ['Background', 'Foreground', 'Orphan']

function optionsOf(request: WriteRequest): Options {
  const body = record(valueOf(request))
  const preconditions = record(body['preconditions'])
  const policy =
    text(body['propagationPolicy']) || request.query.get('propagationPolicy') || 'Background'
  if (!policies.includes(policy))
    throw new ApiRefusal(
      422,
      `DeleteOptions.meta.k8s.io "" is invalid: propagationPolicy: Unsupported value: "${policy.slice(0, 60)}": supported values: "Foreground", "Background", "Orphan"`,
    )
  return {
    policy: policy as Policy,
    uid: text(preconditions['uid']) || null,
    version: text(preconditions['resourceVersion']) || null,
    isDry: list(body['dryRun']).includes('All') || isDryRun(request.query),
  }
}

function precondition(target: Target, live: Kept, { uid, version }: Options): void {
  const { resource } = target.served
  const details = { name: live.name, ...groupOf(resource), kind: resource.plural }
  const head = `Operation cannot be fulfilled on ${qualified(resource)} "${live.name}": Precondition failed: `
  if (uid !== null && uid !== live.uid)
    throw new ApiRefusal(
      409,
      `${head}UID in precondition: ${uid.slice(0, 80)}, UID in object meta: ${live.uid}`,
      details,
    )
  if (version !== null && version !== String(live.version))
    throw new ApiRefusal(
      409,
      `${head}ResourceVersion in precondition: ${version.slice(0, 40)}, ResourceVersion in object meta: ${live.version}`,
      details,
    )
}

const makers = new Set(['DaemonSet', 'Deployment', 'Job', 'ReplicaSet', 'StatefulSet', 'Service'])

/** Whether the owner’s controller keeps an object by itself: it goes with the owner, whatever is written. */
const isKept = (owner: Kept, { object }: Kept): boolean =>
  makers.has(text(owner.object['kind'])) &&
  ['Pod', 'ReplicaSet', 'EndpointSlice'].includes(text(object['kind']))

/** Objects owned by one, and by those in turn, without what controllers keep. */
function dependents(desk: Desk, owner: Kept): readonly Kept[] {
  const { uid } = owner
  const owned = desk.mirror
    .all()
    .filter(({ object }) =>
      list(record(object['metadata'])['ownerReferences']).some(
        (owner) => record(owner)['uid'] === uid,
      ),
    )
  return owned
    .filter((each) => !isKept(owner, each))
    .flatMap((each) => [each, ...dependents(desk, each)])
}

const withoutOwner = (object: Json, uid: string): Json => {
  const metadata = record(object['metadata'])
  const ownerReferences = list(metadata['ownerReferences']).filter(
    (owner) => record(owner)['uid'] !== uid,
  )
  const {
    ownerReferences: _owners,
    resourceVersion: _version,
    managedFields: _fields,
    generation: _generation,
    ...more
  } = metadata
  return {
    ...object,
    metadata: { ...more, ...(ownerReferences.length > 0 ? { ownerReferences } : {}) },
  }
}

async function end(
  desk: Desk,
  target: Target,
  live: Kept,
  options: Options,
  isEvicted = false,
): Promise<void> {
  const also = dependents(desk, live)
  const objects = [live.object, ...also.map(({ object }) => object)]
  const writes = [
    { object: null, owners: {}, leavesPods: options.policy === 'Orphan', isEvicted },
    ...also.map(({ object }) => ({
      object: options.policy === 'Orphan' ? withoutOwner(object, live.uid) : null,
      owners: {},
    })),
  ]
  await commit(desk, target, writes, objects, options.isDry)
}

/** An object that is waited for carries when its end began. */
async function marked(desk: Desk, target: Target, live: Kept, options: Options): Promise<Json> {
  const metadata = record(live.object['metadata'])
  const {
    resourceVersion: _version,
    managedFields: _fields,
    generation: _generation,
    ...more
  } = metadata
  const deletionTimestamp =
    metadata['deletionTimestamp'] ??
    new Date(Math.floor(desk.outside.now / 1000) * 1000).toISOString().replace('.000', '')
  const object = {
    ...live.object,
    metadata: { ...more, deletionTimestamp, deletionGracePeriodSeconds: 0 },
  }
  await commit(desk, target, [{ object, owners: {} }], [object], options.isDry)
  return desk.mirror.find(target.served.resource.kind, live.namespace, live.name)?.object ?? object
}

const isAwaited = ({ object }: Kept): boolean =>
  list(record(object['metadata'])['finalizers']).length > 0

/** Answers a request to delete an object. */
export async function deleted(desk: Desk, request: WriteRequest): Promise<Answer> {
  const { target } = request
  const { resource } = target.served
  const options = optionsOf(request)
  const live = desk.mirror.find(resource.kind, target.namespace ?? '', target.name ?? '')
  if (!live) throw notFound(resource, target.name ?? '')
  precondition(target, live, options)
  if (isAwaited(live)) {
    const object = await marked(desk, target, live, options)
    return { code: 200, object: asServed(target.served, object) }
  }
  await end(desk, target, live, options)
  if (resource.kind === 'Pod') return { code: 200, object: asServed(target.served, live.object) }
  const { name, uid } = live
  return {
    code: 200,
    object: {
      ...success({
        name,
        ...groupOf(resource),
        kind: resource.plural,
        uid,
      }),
    },
  }
}

/** Answers a request to delete all objects that a selector takes. */
export async function deletedAll(desk: Desk, request: WriteRequest): Promise<Answer> {
  const { target, query } = request
  const { resource } = target.served
  const options = optionsOf(request)
  const test = testOf(query, resource.kind)
  const gone = [...desk.mirror.of(resource.kind).values()].filter(
    (live) =>
      (target.namespace === null || live.namespace === target.namespace) &&
      (test === null || test(live.object)),
  )
  for (const live of gone)
    if (isAwaited(live)) await marked(desk, target, live, options)
    else await end(desk, target, live, options)
  return {
    code: 200,
    object: {
      kind: `${resource.kind}List`,
      apiVersion: apiVersionOf(target.served),
      metadata: { resourceVersion: String(desk.mirror.version) },
      items: gone.map(({ object }) => asServed(target.served, object)),
    },
  }
}

/** Answers a request to evict a pod: as its budgets let it go. */
export async function evicted(desk: Desk, request: WriteRequest): Promise<Answer> {
  const { target } = request
  const given = valueOf(request)
  if (given !== undefined && !isRecord(given))
    throw new ApiRefusal(400, 'the body of an eviction is an object')
  const live = desk.mirror.find('Pod', target.namespace ?? '', target.name ?? '')
  if (!live) throw notFound(target.served.resource, target.name ?? '')
  const options = optionsOf({
    ...request,
    body: Buffer.from(JSON.stringify(record(given)['deleteOptions'] ?? {})),
    contentType: 'application/json',
  })
  precondition(target, live, options)
  await end(desk, target, live, options, true)
  return { code: 201, object: { ...success({}), code: 201 } }
}
