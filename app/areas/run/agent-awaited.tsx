/** The agent that a run waits for: what to start beside the cluster, whether it has dialled, and what to look at if not. */
import Button from '@mui/material/Button'
import { useFetcher } from 'react-router'
import { Hidden } from '../../kit/ask-form'
import { Notice } from '../../kit/notice'
import { Tick } from '../../kit/tick'
import type { AwaitedAgent } from './agent-data'
import { saveFile } from '../../kit/save-file'
import { CopyButton } from '../../parts/copy-button'
import { StateGlyph } from '../../parts/state'

/** The demo has somebody on the other side, too: a press stands for the colleague who applies the manifest there. */
function HandOver({ name }: { readonly name: string }) {
  const fetcher = useFetcher<{ readonly refused?: string }>()
  const refused = fetcher.data?.refused
  return (
    <>
      <p>
        No such cluster at hand? The stand-in of a partner has one that nobody dials: the orchid
        laboratory’s, four nodes. It applies the manifest there and runs the agent under the account
        that it makes.
      </p>
      <fetcher.Form method="post" action="/do/hand-over">
        <Hidden name="name" value={name} />
        <Tick name="acts" label="and may act there, not read alone" />
        <Button type="submit" variant="outlined" disabled={fetcher.state !== 'idle'}>
          Hand it to the partner
        </Button>
      </fetcher.Form>
      {refused ? <Notice>{refused}</Notice> : null}
    </>
  )
}

export function AgentAwaited({
  name,
  agent,
}: {
  readonly name: string
  readonly agent: AwaitedAgent
}) {
  const { relay, token, manifest, command, isConnected, dialledAt, canHandOver } = agent
  return (
    <section aria-label="Its agent" className="agent">
      <h2>
        <StateGlyph state={isConnected ? 'well' : 'working'} />{' '}
        {isConnected ? 'Its agent is connected' : 'Waits for its agent'}
      </h2>
      <ul className="facts">
        <li>
          <span>Token</span>
          <span>
            {token === null ? 'used: the agent has its own credential now' : 'not used yet'}
          </span>
        </li>
        <li>
          <span>Dialled</span>
          <span>{dialledAt === null ? 'not yet' : dialledAt.replace('T', ' ').slice(0, 19)}</span>
        </li>
        <li>
          <span>Relay</span>
          <span className="mono">{relay}</span>
        </li>
      </ul>
      {token !== null && manifest === null ? (
        <Notice>
          The agent’s program is not there, so there is nothing to start beside the cluster. Build
          Gyrarch anew; this run waits.
        </Notice>
      ) : null}
      {manifest === null || command === null ? null : (
        <>
          <p>
            Apply the manifest in the cluster, or run the command on a machine that reaches its API.
            The token in them is good for one agent, once.
          </p>
          <div className="acts">
            <Button
              variant="contained"
              onClick={() => saveFile(`${name}-agent.yaml`, 'application/yaml', manifest)}
            >
              Download the manifest
            </Button>
            <CopyButton text={() => manifest}>Copy the manifest</CopyButton>
            <CopyButton text={() => command}>Copy the command</CopyButton>
          </div>
          {canHandOver ? <HandOver name={name} /> : null}
          <h3>If nothing comes</h3>
          <ul>
            <li>
              From beside the cluster, is <span className="mono">{relay}</span> reached? An address
              of this machine alone is not.
            </li>
            <li>
              Does the pod run? <span className="mono">gyrarch-agent</span> in its namespace of that
              name says what stops it in its log.
            </li>
            <li>
              Was the token used by another? Take the run back and enrol anew: it gets a new one.
            </li>
          </ul>
        </>
      )}
    </section>
  )
}
