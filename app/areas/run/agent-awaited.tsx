/** The agent that a run waits for: what to start beside the cluster, whether it has dialled, and what to look at if not. */
import Button from '@mui/material/Button'
import type { AgentStart } from '~/server/connectors/open-api/reach'
import { saveFile } from '../../kit/save-file'
import { CopyButton } from '../../parts/copy-button'
import { StateGlyph } from '../../parts/state'

export function AgentAwaited({
  name,
  agent,
}: {
  readonly name: string
  readonly agent: AgentStart
}) {
  const { relay, manifest, command, isConnected, dialledAt } = agent
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
            {manifest === null ? 'used: the agent has its own credential now' : 'not used yet'}
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
