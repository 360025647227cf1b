/** What the walks say to the objects of a text: calls of the last day, before and after all of it is applied. */
import { type FleetView, listedObjects } from '../../fleet'
import { list, podsOfWorkload, record } from '../../objects'
import { readyWorldOf } from '..'
import { type ApplyIntent, changesOf } from '../../manifests/apply-intent'
import type { ObjectChange } from '../../manifests/diff'
import { viewAfter } from '../../manifests/run-checks'
import { said as manifestSaid } from '../../manifests/says'
import type { WalkVerdicts } from '../../manifests/verdicts'
import { arrives, type Call, callsOf, callText } from './ways'

interface Walked {
  readonly call: Call
  readonly was: ReturnType<typeof arrives>
  readonly is: ReturnType<typeof arrives>
}

const keyOf = ({ object }: ObjectChange): string =>
  `${object.metadata.namespace ?? 'default'}/${object.metadata.name}`

/** Services whose selector takes the pods of a workload. */
function servicesOf(view: FleetView, cluster: string, workload: string): ReadonlySet<string> {
  const objects = listedObjects(view, cluster)
  const [pod] = podsOfWorkload(objects, workload)
  if (!pod) return new Set()
  return new Set(
    objects.flatMap((object) => {
      const selector = Object.entries(record(record(record(object)['spec'])['selector']))
      const namespace = object.metadata?.namespace ?? 'default'
      return object.kind === 'Service' &&
        selector.length > 0 &&
        namespace === pod.metadata.namespace &&
        selector.every(([key, value]) => pod.metadata.labels?.[key] === value)
        ? [`${namespace}/${object.metadata?.name ?? ''}`]
        : []
    }),
  )
}

/** Whether a call has to do with an object. */
function concerns(change: ObjectChange, view: FleetView, cluster: string): (call: Call) => boolean {
  const key = keyOf(change)
  const { kind, metadata } = change.object
  if (kind === 'Service') return ({ flow }) => flow.to === key
  if (kind === 'NetworkPolicy') {
    const inside = `${metadata.namespace ?? 'default'}/`
    return ({ flow }) => flow.from.startsWith(inside) || flow.to.startsWith(inside)
  }
  if (
    list(record(record(record(record(change.object)['spec'])['template'])['spec'])['containers'])
      .length === 0
  )
    return () => false
  const services = servicesOf(view, cluster, key)
  return ({ flow }) => flow.from === key || services.has(flow.to)
}

/** The view must hold the ways of the cluster. */
export function verdictWalks(intent: ApplyIntent, view: FleetView): WalkVerdicts {
  const { cluster } = intent
  const after = viewAfter(intent, changesOf(intent, view), view)
  const [then, now] = [readyWorldOf(view), readyWorldOf(after)]
  if (!then.ok || !now.ok) return () => null
  const walked = callsOf(view, cluster).map((call): Walked => ({
    call,
    was: arrives(then.world, call.query),
    is: arrives(now.world, call.query),
  }))
  return (change) => {
    const isConcerned = concerns(change, view, cluster)
    const calls = walked.filter(({ call }) => isConcerned(call))
    if (calls.length === 0) return null
    const lost = calls.filter(({ was, is }) => was.delivered && !is.delivered)
    const won = calls.filter(({ was, is }) => !was.delivered && is.delivered)
    const [first] = lost
    if (first)
      return {
        outcome: 'caution',
        ...manifestSaid('verdict.calls-lost', {
          lost: lost.map(({ call }) => callText(call)),
          hop: first.is.hop,
          by: first.is.by,
        }),
      }
    return {
      outcome: 'passes',
      ...(won.length > 0
        ? manifestSaid('verdict.calls-won', { won: won.map(({ call }) => callText(call)) })
        : manifestSaid('verdict.calls', {
            calls: calls.filter(({ is }) => is.delivered).length,
          })),
    }
  }
}
