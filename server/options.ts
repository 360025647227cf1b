/** How a Gyrarch is opened. */
import type { EngineLink } from './connectors/standin/engine-link'
import type { AgentOptions } from './connectors/open-api/reach'
import type { RelayOptions } from './relay/agents'
import type { Post } from './mend/outgoing/post'

export interface GyrarchOptions {
  readonly dir: string
  readonly link: EngineLink
  /** Enlarges the fleet to at least this many nodes, when data is first loaded. */
  /** Whether what the folder holds is removed first. */
  readonly fresh?: boolean
  /** Where the key is that secrets are sealed with; `<dir>.key` unless it is said. */
  readonly keyFile?: string | undefined
  readonly nodes?: number
  readonly seed?: number
  /** Built entry of the processes that compute; without one it is done in this thread. */
  readonly computeProcess?: URL
  /** Built worker file in which drafts are judged; without one they are judged in this thread. */
  readonly judgeWorker?: URL
  /** An engine of its own for each rehearsal; without one it runs in this thread. */
  readonly rehearsalEngine?: () => EngineLink
  readonly onError?: (error: unknown) => void
  /** Whether the clock runs by itself; tests may rather step it. */
  readonly clockRuns?: boolean
  /** Whether what is observed is kept; tests that do not look back may leave it out. */
  readonly keepsHistory?: boolean
  /** How notices are sent to who asked for them; without it to no address inside. */
  readonly post?: Post
  /** Where agents of clusters that cannot be dialled reach this server; on this machine alone unless it is said. */
  readonly relay?: RelayOptions
  /** What such agents are. */
  readonly agent?: AgentOptions
  /** Built entry of the process that plays a partner with a cluster of its own; without one nobody does. */
  readonly partnerProcess?: URL
  /** Most bytes of history that are kept. */
  readonly historyBytes?: number
}
