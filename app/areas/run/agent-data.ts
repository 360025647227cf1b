/** The agent that a run waits for, as its page shows it. */
import type { ChangeRecord } from '~/server/changes/changes'
import type { AgentStart } from '~/server/connectors/open-api/reach'
import type { Gyrarch } from '~/server/gyrarch'
import { canHandOver } from '~/server/partner/hand-over'

export interface AwaitedAgent extends AgentStart {
  /** Whether somebody here plays the other side and takes its manifest. */
  readonly canHandOver: boolean
}

export async function agentAwaited(
  { reach, partner }: Pick<Gyrarch, 'reach' | 'partner'>,
  { state, kind }: Pick<ChangeRecord, 'state' | 'kind'>,
  name: string,
): Promise<AwaitedAgent | null> {
  if (state !== 'running' || kind !== 'cluster.enrol') return null
  const start = await reach.agentStart(name)
  return start && { ...start, canHandOver: canHandOver(start, partner) }
}
