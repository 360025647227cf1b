/** What is told of a walk: the hop that is looked at, what clears a drop, and whether the walk is kept. */
import { byText } from '~/core/wire/changes'
import { DraftChange } from '../../parts/draft-change'
import { SinceWhen } from '../../parts/since-when'
import type { Route } from './+types/walk'
import { Keep, keptQuery } from './kept'

type Data = Route.ComponentProps['loaderData']
type Answered = NonNullable<Data['answer']>

/** The hop that is looked at: what it did, and the header it met. */
function HopFacts({
  hop,
  isLast,
  peer,
}: {
  readonly hop: Answered['hops'][number]
  readonly isLast: boolean
  readonly peer: Data['peer']
}) {
  const by = byText(hop.by)
  return (
    <>
      <div className="soft">{isLast ? 'deciding hop' : 'hop'}</div>
      <h2>
        {hop.hop.replace('-', ' ')}
        {by === 'default' ? '' : ` · ${by}`}
      </h2>
      <p>{hop.says}</p>
      <dl className="facts">
        {peer && hop.hop === 'acceptance' ? (
          <div>
            <dt>accepts</dt>
            <dd className="mono">
              {peer.accepts === null ? 'everybody' : peer.accepts.join(', ') || 'nobody'}
            </dd>
          </div>
        ) : null}
        <div>
          <dt>source</dt>
          <dd className="mono">{hop.before.source}</dd>
        </div>
        <div>
          <dt>destination</dt>
          <dd className="mono">
            {hop.before.destination}:{hop.before.port}
          </dd>
        </div>
      </dl>
    </>
  )
}

/** What lets a dropped packet through, each proven by walking again. */
function Remedies({ remedies }: Pick<Data, 'remedies'>) {
  return (
    <section aria-label="What clears it">
      <h3>
        {remedies.length > 0
          ? 'What clears it, proven by walking again'
          : 'Nothing of ours alone clears it'}
      </h3>
      {remedies.map((remedy) => (
        <div key={remedy.says} className="wire-remedy">
          <p>
            <b>{remedy.says}</b>
          </p>
          {remedy.change ? (
            <DraftChange
              kind={remedy.change.kind}
              intent={remedy.change.intent}
              variant={remedy === remedies[0] ? 'contained' : 'outlined'}
            >
              Draft it
            </DraftChange>
          ) : null}
        </div>
      ))}
      {remedies.length === 0 ? (
        <p className="soft">
          No single change here lets it through. Look at the hop that decided, or ask whoever is at
          the other end.
        </p>
      ) : null}
    </section>
  )
}

export function WalkReason({
  data,
  answer,
  index,
}: {
  readonly data: Data
  readonly answer: Answered
  readonly index: number
}) {
  const { asked, remedies, query, cluster, peer } = data
  const hop = answer.hops[index]
  if (!hop) return null
  const { from, to, protocol } = asked
  const aim = cluster === null ? {} : { aim: cluster }
  return (
    <>
      <HopFacts hop={hop} isLast={index === answer.hops.length - 1} peer={peer} />
      {answer.verdict === 'dropped' ? <Remedies remedies={remedies} /> : null}
      {from !== '' && to !== '' ? (
        <SinceWhen ask={{ from, to, port: String(asked.port), protocol, ...aim }} />
      ) : null}
      {query ? (
        <Keep query={keptQuery(query, from, to)} delivered={answer.verdict === 'delivered'} />
      ) : null}
    </>
  )
}

export function NoWalk() {
  return (
    <>
      <h2>Who reaches whom</h2>
      <p>
        Every hop is computed from what is set up now: name, policies, service, the node’s
        masquerade, route, firewalls, translation, virtual address, acceptance, and the way back.
      </p>
      <p className="soft">
        A pod or service is namespace/name; one of another cluster is cluster:namespace/name. A
        workload’s name takes its first running pod.
      </p>
    </>
  )
}
