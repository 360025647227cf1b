/** One workload: owner to pod to node, its images, its revisions, what happened, and what can be done. */
import type { PodFact, WorkloadFact } from '~/core/fleet'
import type { RevisionFact } from '~/core/manifests'
import { countText } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'
import { StateText } from '../../parts/state'
import { To } from '../../parts/to'
import { Ago, clockText } from '../../parts/when'

export interface Told {
  readonly chosen: WorkloadFact & { readonly cluster: string }
  readonly events: readonly {
    readonly reason: string
    readonly message: string
    readonly at: string
  }[]
  readonly revisions: readonly Pick<RevisionFact, 'number' | 'image' | 'pods'>[]
  readonly now: string
}

function podState(pod: PodFact): 'well' | 'broken' | 'working' {
  if (pod.ready || pod.phase === 'Succeeded') return 'well'
  return pod.waits ? 'broken' : 'working'
}

function PodLine({
  pod,
  cluster,
  now,
}: {
  readonly pod: PodFact
  readonly cluster: string
  readonly now: string
}) {
  return (
    <li>
      <StateText state={podState(pod)}>
        <span className="mono">{pod.key.split('/')[1]}</span>
      </StateText>
      {pod.node === null ? (
        <span className="soft"> no node</span>
      ) : (
        <>
          {' '}
          <To path={`/clusters/${cluster}`} query={{ on: pod.node }} className="mono">
            {pod.node}
          </To>
        </>
      )}
      {pod.startedAt === null ? null : (
        <span className="soft">
          {' '}
          <Ago at={pod.startedAt} now={now} />
        </span>
      )}
      {pod.waits === null ? null : <p>{pod.waits}</p>}
    </li>
  )
}

/** The replica sets or jobs of a workload, and the pods of each. */
function Owners({ chosen, now }: Pick<Told, 'chosen' | 'now'>) {
  const { pods, cluster } = chosen
  const between = [...new Set(pods.map((pod) => pod.by))]
  return (
    <ul className="owner-chain">
      {between.map((by) => (
        <li key={by ?? 'direct'}>
          {by === null ? null : <span className="mono soft">{by}</span>}
          <ul>
            {pods
              .filter((pod) => pod.by === by)
              .map((pod) => (
                <PodLine key={pod.key} pod={pod} cluster={cluster} now={now} />
              ))}
          </ul>
        </li>
      ))}
      {pods.length === 0 ? <li className="soft">It has no pods now.</li> : null}
    </ul>
  )
}

const rolling: ReadonlySet<string> = new Set(['Deployment', 'StatefulSet', 'DaemonSet'])

function Acts({ chosen, revisions }: Pick<Told, 'chosen' | 'revisions'>) {
  const { cluster, kind, namespace, name, state, key } = chosen
  const intent = { cluster, kind, namespace, name }
  const isBad = state === 'strained' || state === 'broken'
  return (
    <div className="acts">
      {rolling.has(kind) ? (
        <DraftChange kind="workload.restart" intent={intent}>
          Draft restarting it
        </DraftChange>
      ) : null}
      {revisions.length > 1 ? (
        <DraftChange
          kind="workload.undo"
          intent={intent}
          variant={isBad ? 'contained' : 'outlined'}
        >
          Draft going back
        </DraftChange>
      ) : null}
      <To path="/shape/manifests" query={{ aim: `cluster/${cluster}`, object: key }}>
        Manifest
      </To>
      <To path="/shape/board" query={{ aim: `cluster/${cluster}`, workload: key }}>
        On the board
      </To>
    </div>
  )
}

function Images({ pods }: Pick<WorkloadFact, 'pods'>) {
  const images = new Map(pods.flatMap((pod) => pod.images).map((image) => [image.image, image]))
  return (
    <>
      <h3>Images</h3>
      <ul className="facts">
        {[...images.values()].map(({ image, digest }) => (
          <li key={image}>
            <span className="mono" style={{ overflowWrap: 'anywhere' }}>
              {image}
            </span>
            <span className="source mono">{digest.slice(7, 19) || 'not pulled'}</span>
          </li>
        ))}
      </ul>
    </>
  )
}

function Revisions({ revisions }: Pick<Told, 'revisions'>) {
  if (revisions.length === 0) return null
  return (
    <>
      <h3>Revisions</h3>
      <ul className="facts">
        {[...revisions].reverse().map(({ number, image, pods }) => (
          <li key={number}>
            <span>
              {number} <span className="mono soft">{image.split('/').at(-1)}</span>
            </span>
            <span className="source">{countText(pods, 'pod')}</span>
          </li>
        ))}
      </ul>
    </>
  )
}

export function WorkloadEvents({ events }: Pick<Told, 'events'>) {
  if (events.length === 0) return null
  return (
    <>
      <h3>Events</h3>
      <ul className="facts">
        {events.map((event, i) => (
          <li key={i}>
            <span>
              {event.reason} <span className="soft">{event.message}</span>
            </span>
            <span className="source">{clockText(event.at).slice(-8)}</span>
          </li>
        ))}
      </ul>
    </>
  )
}

export function WorkloadReason({ chosen, revisions, now }: Omit<Told, 'events'>) {
  const { cluster, kind, namespace, name } = chosen
  return (
    <>
      <h2 className="mono" data-copy={name}>
        {name}
      </h2>
      <p>
        <StateText state={chosen.state}>{chosen.says}</StateText>
      </p>
      <p className="soft">
        {kind} in {namespace} of {cluster}
      </p>
      <h3>Owner to pod to node</h3>
      <Owners chosen={chosen} now={now} />
      <Acts chosen={chosen} revisions={revisions} />
      <Images pods={chosen.pods} />
      <Revisions revisions={revisions} />
    </>
  )
}
