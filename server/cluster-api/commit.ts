/** How writes reach a cluster: as commands of the contract, all objects of a request or none. */
import { randomUUID } from 'node:crypto'
import type { Outcome } from '~/core/contract'
import { record, text } from '~/core/objects'
import type { Json } from './body'
import type { Mirror } from './mirror'
import { ApiRefusal, groupOf, notFound, qualified } from './status'
import type { Target } from './target'

export interface Outside {
  readonly now: number
  /** Carries out a command that takes no time. */
  atOnce(key: string, verb: string, args: Readonly<Record<string, unknown>>): Promise<Outcome>
}

export interface Write {
  readonly identity: Json
  readonly object: Json | null
  readonly owners: Readonly<Record<string, string>>
  /** Of one that is taken away: what its controller made stays. */
  readonly leavesPods?: boolean
  /** Of a pod that is taken away: only as its budgets let it go. */
  readonly isEvicted?: boolean
}

/** Where writes of one cluster go. */
export interface Desk {
  readonly cluster: string
  readonly outside: Outside
  readonly mirror: Mirror
}

/** What a stand-in’s refusal is in the open API’s words. */
const refusals: Readonly<Record<string, { readonly code: number; readonly reason?: string }>> = {
  'namespace-missing': { code: 404 },
  'quota-exceeded': { code: 403 },
  'limit-exceeded': { code: 403 },
  'policy-refuses': { code: 422 },
  'webhook-silent': { code: 500, reason: 'InternalError' },
}

const identityOf = (object: Json): Json => {
  const { apiVersion, kind, metadata } = object
  const { name, namespace } = record(metadata)
  return { apiVersion, kind, metadata: { name, ...(namespace === undefined ? {} : { namespace }) } }
}

/** Writes objects, all or none; the copy is up to date then. */
export async function commit(
  desk: Desk,
  target: Target,
  writes: readonly Omit<Write, 'identity'>[],
  of: readonly Json[],
  isDry: boolean,
): Promise<void> {
  const key = `api/${desk.cluster}/${randomUUID()}`
  const outcome = await desk.outside.atOnce(key, 'objects.write', {
    cluster: desk.cluster,
    writes: writes.map((write, i) => ({ ...write, identity: identityOf(of[i] ?? {}) })),
    isDry,
  })
  if (outcome.known && outcome.ended && outcome.failure)
    throw refusedBy(target, of[0] ?? {}, outcome.failure)
  desk.mirror.stirred()
  await desk.mirror.refresh()
}

function refusedBy(
  target: Target,
  object: Json,
  failure: { readonly reason: string; readonly says: string },
): ApiRefusal {
  const { resource } = target.served
  const { name, namespace } = record(object['metadata'])
  const answer = refusals[failure.reason]
  if (failure.reason === 'namespace-missing')
    return notFound({ apiGroup: '', plural: 'namespaces' }, text(namespace))
  if (failure.reason === 'eviction-refused')
    throw new ApiRefusal(429, "Cannot evict pod as it would violate the pod's disruption budget.", {
      causes: [{ reason: 'DisruptionBudget', message: failure.says }],
      retryAfterSeconds: 10,
    })
  if (failure.reason === 'webhook-denies')
    return new ApiRefusal(400, failure.says, {}, 'BadRequest')
  const subject = `${qualified(resource)} "${text(name)}"`
  return new ApiRefusal(
    answer?.code ?? 403,
    `${subject} is forbidden: ${failure.says.replace(/^.*? is forbidden: /, '').replace(/^.*? violates PodSecurity/, 'violates PodSecurity')}`,
    { name: text(name), ...groupOf(resource), kind: resource.plural },
    answer?.reason,
  )
}

/** Whether a request only asks what would be. */
export function isDryRun(query: URLSearchParams): boolean {
  const given = query.getAll('dryRun')
  if (given.some((value) => value !== 'All'))
    throw new ApiRefusal(
      422,
      `dryRun: Unsupported value: "${given.join().slice(0, 60)}": supported values: "All"`,
    )
  return given.length > 0
}
