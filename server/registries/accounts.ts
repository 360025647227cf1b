/**
 * Who may pull from one registry and push to it. Accounts, their rounds and what is closed are kept beside what it holds; a
 * password is made anew whenever it is asked for, and stored nowhere.
 */
import { createHash, timingSafeEqual } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import {
  accessRefusal,
  type AccessRefusal,
  type AccountPurpose,
  type RegistryAccess,
  registryAccess,
  type RegistryAccount,
  type ShownCredential,
} from '~/core/contract'
import { RegistryError } from './errors'
import { writeWhole } from './whole-file'

export interface AccountParts {
  readonly registry: string
  readonly dir: string
  /** A token that only this server can make, the same for the same purpose. */
  readonly token: (purpose: string) => string
  /** Milliseconds on the clock. */
  readonly now: () => number
}

const same = (a: string, b: string): boolean =>
  timingSafeEqual(createHash('sha256').update(a).digest(), createHash('sha256').update(b).digest())

/** Name and password of the header `Authorization: Basic`; null where it is none. */
function basicOf(header: string): { readonly user: string; readonly password: string } | null {
  const [, encoded] = /^Basic ([A-Za-z0-9+/]+=*)$/i.exec(header.trim()) ?? []
  const text = encoded === undefined ? '' : Buffer.from(encoded, 'base64').toString('utf8')
  const colon = text.indexOf(':')
  return colon < 1 ? null : { user: text.slice(0, colon), password: text.slice(colon + 1) }
}

/** Whether nobody is shown: clients without a password send an empty name and an empty password where they are asked for both. */
const isNobody = (header: string | undefined): boolean =>
  header === undefined || /^Basic Og==$/i.test(header.trim())

const refusals: Readonly<Record<AccessRefusal, string>> = {
  missing: 'authentication required',
  ended: 'this credential has ended: ask for a new one',
  elsewhere: 'this credential is for other repositories',
  purpose: 'this credential is for pulling alone',
}

export class Accounts {
  private kept: Promise<RegistryAccess> | null = null
  /** Changes one after the other. */
  private changing: Promise<unknown> = Promise.resolve()

  constructor(private readonly parts: AccountParts) {}

  private get file(): string {
    return join(this.parts.dir, `${this.parts.registry}.access.json`)
  }

  current(): Promise<RegistryAccess> {
    this.kept ??= readFile(this.file, 'utf8').then(
      (text) => registryAccess.parse(JSON.parse(text)),
      (error: NodeJS.ErrnoException) => {
        if (error.code !== 'ENOENT') throw error
        return { closed: [], accounts: [] }
      },
    )
    return this.kept
  }

  private change(edit: (access: RegistryAccess) => RegistryAccess): Promise<void> {
    const turn = this.changing.then(async () => {
      const after = edit(await this.current())
      await writeWhole(this.file, JSON.stringify(after))
      this.kept = Promise.resolve(after)
    })
    this.changing = turn.catch(() => undefined)
    return turn
  }

  close(repositories: string, closed: boolean): Promise<void> {
    return this.change((access) => ({
      ...access,
      closed: [
        ...access.closed.filter((entry) => entry !== repositories),
        ...(closed ? [repositories] : []),
      ].sort(),
    }))
  }

  /** Opens a round of an account for some days; one that is open stays as it is. Returns when it ends (ISO 8601). */
  async open(
    account: Omit<RegistryAccount, 'rounds'>,
    round: number,
    days: number,
  ): Promise<string> {
    const before = (await this.current()).accounts.find(({ name }) => name === account.name)
    const open = before?.rounds.find((candidate) => candidate.round === round)
    if (open) return open.until
    const until = new Date(this.parts.now() + days * 86_400_000).toISOString()
    await this.put([{ ...account, rounds: [...(before?.rounds ?? []), { round, until }] }])
    return until
  }

  /** Accounts as they are from now on, each in the place of the one of its name. */
  put(accounts: readonly RegistryAccount[]): Promise<void> {
    const names = new Set(accounts.map(({ name }) => name))
    return this.change((access) => ({
      ...access,
      accounts: [...access.accounts.filter(({ name }) => !names.has(name)), ...accounts],
    }))
  }

  /** Ends rounds of an account, and the account with its last one; tells it as it was before. */
  async end(name: string, rounds: readonly number[]): Promise<readonly RegistryAccount[]> {
    const before = (await this.current()).accounts.filter((account) => account.name === name)
    await this.change((access) => ({
      ...access,
      accounts: access.accounts.flatMap((account) => {
        if (account.name !== name) return [account]
        const left = account.rounds.filter(({ round }) => !rounds.includes(round))
        return left.length === 0 ? [] : [{ ...account, rounds: left }]
      }),
    }))
    return before
  }

  password({ account, round }: ShownCredential): string {
    return this.parts.token(`registry/${this.parts.registry}/${account}/${round}`)
  }

  private shown(access: RegistryAccess, header: string): ShownCredential | null {
    const basic = basicOf(header)
    const account = access.accounts.find(({ name }) => name === basic?.user)
    const round = account?.rounds.find((candidate) =>
      same(basic?.password ?? '', this.password({ account: account.name, round: candidate.round })),
    )
    return account && round ? { account: account.name, round: round.round } : null
  }

  /** Who asks whether this is a registry learns how to log in where something is closed: clients send a password only then. */
  async greet(header: string | undefined): Promise<void> {
    const { closed } = await this.current()
    if (isNobody(header) && closed.length > 0) throw this.unauthorized('missing')
    await this.admit('', 'pull', header)
  }

  private unauthorized(refusal: AccessRefusal): RegistryError {
    return new RegistryError(401, 'UNAUTHORIZED', refusals[refusal], {
      'WWW-Authenticate': `Basic realm="${this.parts.registry}", charset="UTF-8"`,
    })
  }

  /** Lets a request through, or throws why not: 401 where another credential would help, 403 where this one is for something else. */
  async admit(
    repository: string,
    purpose: AccountPurpose,
    header: string | undefined,
  ): Promise<void> {
    const access = await this.current()
    const isAnonymous = isNobody(header)
    const shown = isAnonymous || header === undefined ? null : this.shown(access, header)
    const refusal =
      !isAnonymous && shown === null
        ? 'ended'
        : accessRefusal(access, repository, purpose, shown, this.parts.now())
    if (refusal === null) return
    if (refusal === 'elsewhere' || refusal === 'purpose')
      throw new RegistryError(403, 'DENIED', refusals[refusal])
    throw this.unauthorized(refusal)
  }
}
