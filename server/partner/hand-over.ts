/** A manifest on its way to the demo’s partner: whether there is one to hand over, and handing it over. */
import { actingManifest } from '~/core/reach'
import { Refusal } from '../changes/errors'
import type { AgentStart } from '../connectors/open-api/reach'
import type { Gyrarch } from '../gyrarch'
import type { Partner } from './partner'

type Parts = Pick<Gyrarch, 'reach' | 'partner'>

/** What the agent of a cluster is started with. Refuses where none is expected. */
export async function expectedAgent(
  { reach }: Pick<Parts, 'reach'>,
  name: string,
): Promise<AgentStart> {
  const start = await reach.agentStart(name)
  if (start) return start
  throw new Refusal(
    'not-found',
    `No agent is expected of ${name.slice(0, 80)}: it is not enrolled outbound.`,
  )
}

export const canHandOver = ({ token }: AgentStart, partner: Partner): boolean =>
  token !== null && partner.isFree

/**
 * Gives the manifest of an agent to the partner, with what lets it act there as well if it is to. Refuses where none is
 * awaited, or nobody is there to take it.
 */
export async function handOver(parts: Parts, name: string, acts: boolean): Promise<void> {
  const { token, relay, manifest } = await expectedAgent(parts, name)
  if (token === null)
    throw new Refusal('conflict', `The token of ${name} is used: its agent is somewhere else.`)
  // Without an agent’s program there is no manifest, and nobody who takes it.
  const whole = [manifest ?? '', ...(acts ? [actingManifest()] : [])].join('---\n')
  await parts.partner.take(name, { relay, token, manifest: whole })
}
