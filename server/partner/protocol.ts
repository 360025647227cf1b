/** What a server and the process that plays its partner tell each other. */

/** An agent as it is handed over. */
export interface AgentCommand {
  readonly relay: string
  readonly token: string
  /** What is applied in the cluster: the account that the agent runs under, and what that may do. */
  readonly manifest: string
}

export type ToPartner =
  /** What the stand-ins’ clock shows (ms): the partner lives by it. */
  | { readonly type: 'now'; readonly now: number }
  /** A manifest was handed over: its agent is started beside the cluster. */
  | ({ readonly type: 'agent'; readonly name: string } & AgentCommand)

export type FromPartner =
  /** An agent was sent away, or never let in. */
  | { readonly type: 'ended'; readonly name: string }
  | { readonly type: 'failed'; readonly error: string }

/** What the process is started with: its folder, and the agent’s program. */
export interface PartnerStart {
  readonly dir: string
  readonly agent: string
}
