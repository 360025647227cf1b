/** How an enrolled cluster is reached, what of it is read, and the way out of the fleet. */
import type { ReachReport } from '~/core/contract'
import type { AgentStart } from '~/server/connectors/open-api/reach'
import { countText } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'
import { StateText } from '../../parts/state'
import './reached.css'

const wallText = (iso: string | null): string =>
  iso === null ? 'never' : `${iso.replace('T', ' ').slice(0, 19)} UTC`

export function Reached({
  name,
  reach,
  agent,
}: {
  readonly name: string
  readonly reach: ReachReport
  readonly agent: Pick<AgentStart, 'isConnected' | 'relay'> | null
}) {
  const { kind, heard, reason, lastHeardWall, says, address, watched, withheld } = reach
  return (
    <section aria-label="How it is reached" className="reached">
      <h3>Reached {kind}</h3>
      <p>
        <StateText state={heard ? 'well' : 'unknown'}>
          {heard ? 'heard' : (reason ?? 'not heard')}
        </StateText>
      </p>
      <p>{says}</p>
      <ul className="facts">
        {address === '' ? null : (
          <li>
            <span>At</span>
            <span className="mono">{address}</span>
          </li>
        )}
        {agent ? (
          <li>
            <span>Its agent</span>
            <span>{agent.isConnected ? 'connected' : `not connected to ${agent.relay}`}</span>
          </li>
        ) : null}
        {heard ? null : (
          <li>
            <span>Last heard</span>
            <span>{wallText(lastHeardWall)}</span>
          </li>
        )}
        <li>
          <span>Watched</span>
          <span title={watched.join(', ')}>{countText(watched.length, 'list')}</span>
        </li>
        {withheld.length === 0 ? null : (
          <li>
            <span>Not let read</span>
            <span className="mono">{withheld.join(', ')}</span>
          </li>
        )}
      </ul>
      <p className="soft">
        Its API is all that is reached: what needs its machines, networks or disks is not done here.
      </p>
      <div className="acts">
        <DraftChange kind="cluster.dismiss" intent={{ cluster: name }} variant="outlined">
          Draft dismissing it
        </DraftChange>
      </div>
    </section>
  )
}
