/**
 * What the commands of the contract come to through the open API. Each may be carried out again from its beginning after
 * a crash: writes are applied, removals and evictions name the uid of what they mean, and what stood before is kept
 * before anything is written.
 */
import { setTimeout as pause } from 'node:timers/promises'
import type { ArgsOf, Said, VerbName } from '~/core/contract'
import { objectKey } from '~/core/manifests'
import { type Json, list, record, records, text } from '~/core/objects'
import type { Reached } from './reached'
import { said } from './says'
import { CommandFailed, type Writing, type Written } from './writing'

type Result = Readonly<Record<string, unknown>>

export interface At {
  readonly cluster: string
  readonly key: string
  readonly reached: Reached
  readonly writing: Writing
  readonly signal: AbortSignal
  /** What was kept of this command before it was first begun, or null. */
  readonly kept: Result | null
  keep(what: Result): Promise<void>
  told(what: Said): void
}

type Behaviour<Name extends VerbName> = { of(at: At, args: ArgsOf<Name>): Promise<Result> }['of']

const isSecret = ({ kind }: Written): boolean => kind === 'Secret'

/** What stood before, kept once: a command that is begun anew does not take its own traces for it. */
async function before(at: At, objects: readonly Written[]): Promise<Result> {
  if (at.kept) return at.kept
  const entries = await Promise.all(
    objects
      // What is in a secret is kept nowhere: it stays as it is written.
      .filter((object) => !isSecret(object))
      .map(async (object) => ({
        key: at.writing.refOf(object),
        object: await at.writing.read(object),
        identity: object,
        owners: null,
      })),
  )
  const result = { before: entries }
  await at.keep(result)
  return result
}

const refsOf = (at: At, objects: readonly Written[]): readonly string[] =>
  objects.map((object) => at.writing.refOf(object))

/** What others stand on comes first. */
const rank = ({ kind }: Written): number => {
  const first = [
    'Namespace',
    'CustomResourceDefinition',
    'PriorityClass',
    'StorageClass',
    'ServiceAccount',
  ]
  const at = first.indexOf(kind)
  return at === -1 ? first.length : at
}

const apply: Behaviour<'objects.apply'> = async (at, { objects, force }) => {
  const ordered = [...objects].sort((a, b) => rank(a) - rank(b))
  const coming = new Set(
    ordered.flatMap(({ kind, metadata }) => (kind === 'Namespace' ? [metadata.name] : [])),
  )
  const forced = (object: Written): boolean =>
    force.some((field) => field.startsWith(`${objectKey(object)} `))
  // All are taken, or none: what can be asked beforehand is.
  for (const object of ordered)
    if (!coming.has(object.metadata.namespace ?? ''))
      await at.writing.apply(object, { isDry: true, force: forced(object) })
  const result = await before(at, ordered)
  for (const object of ordered) await at.writing.apply(object, { force: forced(object) })
  at.told(said('applied', { objects: refsOf(at, ordered) }))
  return result
}

const remove: Behaviour<'objects.remove'> = async (at, { objects }) => {
  const result = await before(at, objects)
  const uids = new Map(
    list(result['before']).map((entry) => [
      text(record(entry)['key']),
      text(record(record(record(entry)['object'])['metadata'])['uid']),
    ]),
  )
  for (const object of [...objects].sort((a, b) => rank(b) - rank(a)))
    await at.writing.remove(object, uids.get(at.writing.refOf(object)) || undefined)
  at.told(said('removed', { objects: refsOf(at, objects) }))
  return result
}

const putBack: Behaviour<'objects.put-back'> = async (at, args) => {
  const entries = args.before ?? []
  for (const { object, identity } of entries)
    if (object) await at.writing.putBack(object)
    else await at.writing.remove(identity)
  at.told(said('put-back', { objects: entries.length }))
  return {}
}

const workloadOf = (kind: string, namespace: string, name: string): Written => ({
  apiVersion: kind === 'Job' || kind === 'CronJob' ? 'batch/v1' : 'apps/v1',
  kind,
  metadata: { name, namespace },
})

/** Set anew for each restart: the pods of another template roll. It names the command, so that one is never done twice. */
const restartMark = 'gyrarch-restarted-by'

const restart: Behaviour<'workload.restart'> = async (at, { kind, namespace, name }) => {
  const workload = `${namespace}/${name}`
  const patched = await at.writing.patch(workloadOf(kind, namespace, name), {
    spec: { template: { metadata: { annotations: { [restartMark]: at.key } } } },
  })
  if (!patched)
    throw new CommandFailed('workload-gone', workload, said('workload-gone', { workload }).says)
  at.told(said('restarted', { workload }))
  return {}
}

interface RollOut {
  readonly ready: number
  readonly wanted: number
  readonly isDone: boolean
}

/** How far a workload has rolled, by what its controller says of it. */
function rolled(object: Json): RollOut {
  const spec = record(object['spec'])
  const status = record(object['status'])
  const metadata = record(object['metadata'])
  const count = (value: unknown): number => (typeof value === 'number' ? value : 0)
  const isDaemon = object['kind'] === 'DaemonSet'
  const replicas = typeof spec['replicas'] === 'number' ? spec['replicas'] : 1
  const wanted = isDaemon ? count(status['desiredNumberScheduled']) : replicas
  const ready = count(isDaemon ? status['numberReady'] : status['readyReplicas'])
  const updated = count(isDaemon ? status['updatedNumberScheduled'] : status['updatedReplicas'])
  const all = isDaemon ? wanted : count(status['replicas'])
  const isSeen = count(status['observedGeneration']) >= count(metadata['generation'])
  return {
    ready,
    wanted,
    isDone: isSeen && ready >= wanted && updated >= wanted && all <= wanted,
  }
}

/** Why pods of a workload wait, as their containers and conditions say. */
function waiting(reached: Reached, object: Json): string {
  const metadata = record(object['metadata'])
  const prefix = `${text(metadata['name'])}-`
  const says = reached.of('pods').flatMap((pod) => {
    const of = record(pod['metadata'])
    if (of['namespace'] !== metadata['namespace'] || !text(of['name']).startsWith(prefix)) return []
    const status = record(pod['status'])
    const containers = records(status['containerStatuses']).flatMap((container) => {
      const why = record(record(container['state'])['waiting'])
      return text(why['reason']) === '' ? [] : [`${text(why['reason'])} ${text(why['message'])}`]
    })
    const conditions = records(status['conditions']).flatMap((condition) =>
      condition['type'] === 'PodScheduled' && condition['status'] === 'False'
        ? [text(condition['message'])]
        : [],
    )
    return [...containers, ...conditions]
  })
  return [...new Set(says)].slice(0, 3).join('; ').slice(0, 600)
}

function reasonIn(why: string): string {
  if (/ImagePull|ErrImage/.test(why)) return 'image-not-pulled'
  return /unschedulable|nodes are available/i.test(why) ? 'pods-pending' : 'rollout-stalled'
}

const usualDeadline = 600
const pullMs = 60_000

const awaitRollOut: Behaviour<'rollout.await'> = async (at, args) => {
  const { kind, namespace, name } = args
  const workload = `${namespace}/${name}`
  const seconds = args.deadlineSeconds > 0 ? args.deadlineSeconds : usualDeadline
  const until = Date.now() + seconds * 1000
  let last = ''
  let pullingSince = Date.now()
  for (;;) {
    const object = await at.writing.read(workloadOf(kind, namespace, name))
    if (!object)
      throw new CommandFailed('workload-gone', workload, said('workload-gone', { workload }).says)
    const { ready, wanted, isDone } = rolled({ ...object, kind })
    if (`${ready}/${wanted}` !== last) at.told(said('roll-out', { ready, of: wanted }))
    last = `${ready}/${wanted}`
    if (isDone) return { ready }
    const why = waiting(at.reached, { ...object, kind })
    // An image that is not there does not come by waiting.
    if (!/ImagePullBackOff|InvalidImageName|ErrImageNeverPull/.test(why)) pullingSince = Date.now()
    if (Date.now() > Math.min(until, pullingSince + pullMs)) {
      const stalled = said('rollout-stalled', { workload, seconds }).says
      throw new CommandFailed(reasonIn(why), workload, why === '' ? stalled : `${stalled} ${why}`)
    }
    await pause(1500, undefined, { signal: at.signal })
  }
}

const nodeObject = (node: string): Written => ({
  apiVersion: 'v1',
  kind: 'Node',
  metadata: { name: node },
})

async function setUnschedulable(at: At, node: string, isCordoned: boolean): Promise<void> {
  const patched = await at.writing.patch(nodeObject(node), {
    spec: { unschedulable: isCordoned ? true : null },
  })
  if (!patched) throw new CommandFailed('node-gone', node, said('node-gone', { node }).says)
  at.told(isCordoned ? said('cordoned', { node }) : said('uncordoned', { node }))
}

const cordon: Behaviour<'node.cordon'> = async (at, { node }) => {
  await setUnschedulable(at, node, true)
  return {}
}

const uncordon: Behaviour<'node.uncordon'> = async (at, { node }) => {
  await setUnschedulable(at, node, false)
  return {}
}

interface Leaving {
  readonly namespace: string
  readonly name: string
  readonly uid: string
}

/** The pods that have to leave a node: not those that belong to it, nor those that have ended. */
const leaving = (reached: Reached, node: string): readonly Leaving[] =>
  reached.of('pods').flatMap((pod) => {
    const metadata = record(pod['metadata'])
    const phase = record(pod['status'])['phase']
    const owners = records(metadata['ownerReferences'])
    const isOfNode =
      owners.some(({ kind }) => kind === 'DaemonSet' || kind === 'Node') ||
      record(metadata['annotations'])['kubernetes.io/config.mirror'] !== undefined
    return text(record(pod['spec'])['nodeName']) !== node ||
      phase === 'Succeeded' ||
      phase === 'Failed' ||
      isOfNode
      ? []
      : [
          {
            namespace: text(metadata['namespace']),
            name: text(metadata['name']),
            uid: text(metadata['uid']),
          },
        ]
  })

const evictAgainMs = 5000
const mostDrainMs = 3_600_000

const drain: Behaviour<'node.drain'> = async (at, { node, pastBudgetsAfter }) => {
  await setUnschedulable(at, node, true)
  const began = Date.now()
  const asked = new Set<string>()
  const waits = new Map<string, string>()
  at.told(said('evicting', { pods: leaving(at.reached, node).length, node }))
  for (;;) {
    const left = leaving(at.reached, node)
    if (left.length === 0) break
    for (const { namespace, name, uid } of left) {
      const pod = `${namespace}/${name}`
      if (asked.has(uid)) continue
      const isPast = pastBudgetsAfter !== undefined && Date.now() - began > pastBudgetsAfter * 1000
      if (isPast) {
        await at.writing.remove(
          { apiVersion: 'v1', kind: 'Pod', metadata: { name, namespace } },
          uid,
        )
        asked.add(uid)
        continue
      }
      const answer = await at.writing.evict(namespace, name, uid)
      if (typeof answer === 'object') {
        if (waits.get(pod) !== answer.waits)
          at.told(said('eviction-waits', { pod, says: answer.waits }))
        waits.set(pod, answer.waits)
        continue
      }
      asked.add(uid)
      at.told(said('evicted', { pod }))
    }
    if (Date.now() - began > mostDrainMs)
      throw new CommandFailed('eviction-refused', node, [...waits.values()].slice(0, 3).join('; '))
    await pause(left.every(({ uid }) => asked.has(uid)) ? 1000 : evictAgainMs, undefined, {
      signal: at.signal,
    })
  }
  at.told(said('drained', { node }))
  return {}
}

const setNode: Behaviour<'node.set'> = async (at, { node, labels, taints }) => {
  const live = at.kept ? null : await at.writing.read(nodeObject(node))
  if (!at.kept && !live)
    throw new CommandFailed('node-gone', node, said('node-gone', { node }).says)
  const result = at.kept ?? {
    before: {
      labels: record(record(live?.['metadata'])['labels']),
      taints: list(record(live?.['spec'])['taints']),
    },
  }
  if (!at.kept) await at.keep(result)
  await at.writing.patch(nodeObject(node), {
    metadata: { labels },
    ...(taints === undefined ? {} : { spec: { taints: [{ $patch: 'replace' }, ...taints] } }),
  })
  return result
}

const behaviours = {
  'objects.apply': apply,
  'objects.remove': remove,
  'objects.put-back': putBack,
  'workload.restart': restart,
  'rollout.await': awaitRollOut,
  'node.cordon': cordon,
  'node.uncordon': uncordon,
  'node.drain': drain,
  'node.set': setNode,
} satisfies { readonly [Name in VerbName]?: Behaviour<Name> }

export type AnyBehaviour = (at: At, args: Readonly<Record<string, unknown>>) => Promise<Result>

/** What is done for a verb; undefined where the open API alone does not do. */
export const behaviourOf = (verb: string): AnyBehaviour | undefined =>
  Object.hasOwn(behaviours, verb)
    ? // `readCommand` has read the arguments by the schema of this very verb.
      (behaviours[verb as keyof typeof behaviours] as AnyBehaviour)
    : undefined
