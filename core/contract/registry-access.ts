/** Who may pull from a registry and push to it: repositories that are closed, and the accounts that open them. */
import { z } from 'zod'
import type { Told } from './told'

/** What an account is for; whoever may push may pull too. */
export const accountPurposes = ['pull', 'push'] as const
export type AccountPurpose = (typeof accountPurposes)[number]

export const registryAccount = z.object({
  name: z.string(),
  purpose: z.enum(accountPurposes),
  /** Who shows it: a namespace of a cluster. */
  cluster: z.string(),
  namespace: z.string(),
  /** Repositories, each with those below it. */
  repositories: z.array(z.string()),
  /** Its credentials: each round ends at a time of its own (ISO 8601). */
  rounds: z.array(z.object({ round: z.number(), until: z.string() })),
})
export type RegistryAccount = Told<z.infer<typeof registryAccount>>

export const registryAccess = z.object({
  /** Repositories, each with those below it, that are pulled from and pushed to by accounts alone. */
  closed: z.array(z.string()),
  accounts: z.array(registryAccount),
})
export type RegistryAccess = Told<z.infer<typeof registryAccess>>

/** A credential as it is shown: which account, and which of its rounds. */
export interface ShownCredential {
  readonly account: string
  readonly round: number
}

/** What the nodes of a cluster show to a registry when they pull for a namespace. */
export const pullsAs = z.object({
  registry: z.string(),
  namespace: z.string(),
  account: z.string(),
  round: z.number(),
})
export type PullsAs = Told<z.infer<typeof pullsAs>>

export type AccessRefusal = 'missing' | 'ended' | 'elsewhere' | 'purpose'

/** Whether a repository is one of some, or below one of them. */
export const isAmong = (repositories: readonly string[], repository: string): boolean =>
  repositories.some((closed) => repository === closed || repository.startsWith(`${closed}/`))

/** Why a registry refuses a pull or a push at a time (ms); null where it does not. What is not closed is open to all. */
export function accessRefusal(
  access: RegistryAccess,
  repository: string,
  purpose: AccountPurpose,
  shown: ShownCredential | null,
  now: number,
): AccessRefusal | null {
  if (!isAmong(access.closed, repository)) return null
  const account = access.accounts.find(({ name }) => name === shown?.account)
  const round = account?.rounds.find((candidate) => candidate.round === shown?.round)
  if (!account || !round) return shown === null ? 'missing' : 'ended'
  if (Date.parse(round.until) <= now) return 'ended'
  if (!isAmong(account.repositories, repository)) return 'elsewhere'
  return purpose === 'push' && account.purpose === 'pull' ? 'purpose' : null
}
