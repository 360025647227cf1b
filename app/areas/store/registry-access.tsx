/** Who may pull from a registry and push to it: what is closed, and the credentials that open it. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import type { RegistryAccess, RegistryAccount } from '~/core/contract'
import { durationText, isoTime, listText } from '~/core/units'
import { Notice } from '../../kit/notice'
import { CopyButton } from '../../parts/copy-button'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'

/** From how long before its end a credential wants attention (ms). */
const soonMs = 14 * 86_400_000

const day = (at: number): string => isoTime(at).slice(0, 10)

function stateOf(
  { rounds }: RegistryAccount,
  now: number,
): { readonly state: 'well' | 'strained' | 'broken'; readonly says: string } {
  const until = Math.max(...rounds.map((round) => Date.parse(round.until)))
  const left = until - now
  if (left <= 0) return { state: 'broken', says: `ended on ${day(until)}` }
  const says = `until ${day(until)}, ${durationText(left / 1000)} from now`
  return { state: left < soonMs ? 'strained' : 'well', says }
}

interface HandedOut {
  readonly user?: string
  readonly password?: string
  readonly error?: { readonly says: string }
}

/** Hands the newest password out: it is shown once, to be copied, and asked for again when it is needed again. */
function HandOut({ registry, account }: { readonly registry: string; readonly account: string }) {
  const [given, setGiven] = useState<HandedOut | null>(null)
  const ask = async (): Promise<void> => {
    try {
      const response = await fetch(
        `/api/v1/registries/${registry}/accounts/${encodeURIComponent(account)}/password`,
        { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: '{}' },
      )
      setGiven((await response.json()) as HandedOut)
    } catch {
      setGiven({ error: { says: 'The server did not answer. Ask again.' } })
    }
  }
  if (given?.password !== undefined)
    return <CopyButton text={() => given.password ?? ''}>Copy the password</CopyButton>
  return (
    <>
      <Button variant="text" onClick={() => void ask()}>
        Hand out
      </Button>
      {given?.error ? <Notice level="caution">{given.error.says}</Notice> : null}
    </>
  )
}

function AccountFacts({
  registry,
  account,
  now,
}: {
  readonly registry: string
  readonly account: RegistryAccount
  readonly now: number
}) {
  const { state, says } = stateOf(account, now)
  const { name, cluster, namespace, purpose, repositories } = account
  return (
    <div>
      <p>
        <StateGlyph state={state} /> <b>{namespace}</b> of {cluster} may {purpose}{' '}
        <span className="mono">{listText(repositories, 3)}</span>
        <br />
        <span className="soft">
          as <span className="mono">{name}</span>, {says}
          {account.rounds.length > 1 ? `, ${account.rounds.length} passwords` : ''}
        </span>
      </p>
      <div className="acts">
        <DraftChange
          kind="registry.credential"
          intent={{ registry, repositories, cluster, namespace, purpose }}
        >
          {purpose === 'pull' ? 'Rotate it' : 'Next password'}
        </DraftChange>
        <HandOut registry={registry} account={name} />
        <DraftChange kind="registry.revoke" intent={{ registry, account: name }} variant="text">
          End it
        </DraftChange>
      </div>
    </div>
  )
}

export function AccessFacts({
  registry,
  access,
  now,
}: {
  readonly registry: string
  readonly access: RegistryAccess
  /** Milliseconds on the clock. */
  readonly now: number
}) {
  const { closed, accounts } = access
  return (
    <>
      <h2>{closed.length === 0 ? 'Open to all' : 'Closed repositories'}</h2>
      {closed.length === 0 ? (
        <p className="soft">
          Whoever reaches it pulls and pushes. Choose a repository to close it.
        </p>
      ) : null}
      {closed.map((repositories) => (
        <div key={repositories} className="acts">
          <span className="mono">{repositories}</span>
          <DraftChange
            kind="registry.close"
            intent={{ registry, repositories, closed: false }}
            variant="text"
          >
            Open it to all
          </DraftChange>
        </div>
      ))}
      {accounts.map((account) => (
        <AccountFacts key={account.name} registry={registry} account={account} now={now} />
      ))}
    </>
  )
}

/** What a repository is to whoever shows nothing, and the credentials that namespaces which run it would need. */
export function RepositoryAccess({
  registry,
  repository,
  access,
  places,
}: {
  readonly registry: string
  readonly repository: string
  readonly access: RegistryAccess
  /** Namespaces that run its images. */
  readonly places: readonly { readonly cluster: string; readonly namespace: string }[]
}) {
  const isClosed = access.closed.some(
    (entry) => entry === repository || repository.startsWith(`${entry}/`),
  )
  const without = places.filter(
    ({ cluster, namespace }) =>
      !access.accounts.some(
        (account) => account.cluster === cluster && account.namespace === namespace,
      ),
  )
  return (
    <div className="acts">
      {isClosed ? null : (
        <DraftChange kind="registry.close" intent={{ registry, repositories: repository }}>
          Close it to whoever shows no credential
        </DraftChange>
      )}
      {without.slice(0, 3).map(({ cluster, namespace }) => (
        <DraftChange
          key={`${cluster} ${namespace}`}
          kind="registry.credential"
          intent={{ registry, repositories: [repository], cluster, namespace }}
        >
          {`Give ${namespace} (${cluster}) a credential`}
        </DraftChange>
      ))}
    </div>
  )
}
