/** Credentials of a registry: opened, ended and put back, and told to whoever pulls. */
import type { ArgsOf } from '~/core/contract'
import { Refusal } from '../changes/errors'
import type { Line } from '../runner/journal'
import type { Registries } from './registries'
import type { Registry } from './registry'

const registryOf = (registries: Registries, name: string): Registry | null =>
  registries.named(name) ?? null

export async function closeRepositories(
  registries: Registries,
  { registry: name, repositories, closed }: ArgsOf<'repositories.close'>,
): Promise<boolean> {
  const registry = registryOf(registries, name)
  if (!registry) return false
  await registries.accountsOf(registry).close(repositories, closed)
  await registries.tell(registry)
  return true
}

/** When the round that was opened ends (ISO 8601); null where there is no such registry. */
export async function openCredential(
  registries: Registries,
  { registry: name, round, days, ...account }: ArgsOf<'credential.open'>,
): Promise<string | null> {
  const registry = registryOf(registries, name)
  if (!registry) return null
  const until = await registries.accountsOf(registry).open(account, round, days)
  await registries.tell(registry)
  return until
}

export async function endCredential(
  registries: Registries,
  { registry: name, name: account, rounds }: ArgsOf<'credential.end'>,
) {
  const registry = registryOf(registries, name)
  if (!registry) return null
  const ended = await registries.accountsOf(registry).end(account, rounds)
  await registries.tell(registry)
  return ended
}

export async function reopenCredential(
  registries: Registries,
  { registry: name, accounts }: ArgsOf<'credential.reopen'>,
): Promise<boolean> {
  const registry = registryOf(registries, name)
  if (!registry) return false
  await registries.accountsOf(registry).put(accounts)
  await registries.tell(registry)
  return true
}

/** The newest password of an account, and until when it is valid. That it was handed out is journalled. */
export async function handOut(
  from: {
    readonly registries: Registries
    readonly journalLine: (line: Line) => Promise<void>
  },
  registry: Registry,
  user: string,
) {
  const accounts = from.registries.accountsOf(registry)
  const account = (await accounts.current()).accounts.find(({ name }) => name === user)
  const newest = account?.rounds.at(-1)
  if (!newest)
    throw new Refusal(
      'not-found',
      `${registry.name} has no credential ${user.slice(0, 120)}. Draft a change of kind registry.credential.`,
    )
  await from.journalLine({
    kind: 'registry.credential-given',
    params: { registry: registry.name, account: user, until: newest.until },
    about: `registry/${registry.name}`,
    says: `password of ${user} for ${registry.name} handed out, valid until ${newest.until}`,
  })
  const password = accounts.password({ account: user, round: newest.round })
  return { user, password, until: newest.until }
}
