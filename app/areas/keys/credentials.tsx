/** Site credentials: entered once, encrypted at rest, checked with their site, never shown again. */
import Button from '@mui/material/Button'
import { useEffect } from 'react'
import { useFetcher } from 'react-router'
import type { CredentialView } from '~/core/fleet'
import { credentialForm } from '~/core/keys'
import { ChoiceAt, DayAt, SchemaForm, TextAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { type Column, Table } from '../../kit/table/table'
import { StateText } from '../../parts/state'
import type { Refused as RefusedAnswer } from '../refusals'

const soonMs = 30 * 86_400_000

function lifeOf(until: string, now: string): 'broken' | 'strained' | 'well' {
  const left = Date.parse(until) - Date.parse(now)
  if (left <= 0) return 'broken'
  return left < soonMs ? 'strained' : 'well'
}

type Act = (what: string, more: Record<string, string>) => void

const columnsOf = (now: string, isBusy: boolean, act: Act): readonly Column<CredentialView>[] => [
  {
    name: 'site',
    value: (credential) => credential.site,
    show: (credential) => <span className="mono">{credential.site}</span>,
  },
  {
    name: 'name',
    value: (credential) => credential.name,
    show: (credential) => <span className="mono">{credential.name}</span>,
  },
  {
    name: 'until',
    value: (credential) => credential.until,
    show: (credential) => (
      <StateText state={lifeOf(credential.until, now)}>{credential.until.slice(0, 10)}</StateText>
    ),
  },
  {
    name: 'fingerprint',
    value: (credential) => credential.fingerprint,
    show: (credential) => <span className="mono">{credential.fingerprint}</span>,
  },
  {
    name: 'the site says',
    value: (credential) => credential.checked?.says ?? '',
    show: (credential) =>
      credential.checked
        ? `${credential.checked.says}, asked ${credential.checked.at.slice(0, 16).replace('T', ' ')}`
        : 'not asked yet',
  },
  {
    name: 'acts',
    value: () => '',
    show: ({ site, name }) => (
      <>
        <Button
          variant="text"
          disabled={isBusy}
          onClick={() => act('credential-check', { site, name })}
          aria-label={`Check ${name}`}
        >
          Check
        </Button>
        <Button
          variant="text"
          disabled={isBusy}
          onClick={() => act('credential-remove', { site, name })}
          aria-label={`Remove ${name}`}
        >
          Remove
        </Button>
      </>
    ),
  },
]

type Answer = { refused: string | null; fields: RefusedAnswer['fields'] }

/** A secret is gone from the field once it is kept. */
function EnterCredential({ sites }: { readonly sites: readonly string[] }) {
  const fetcher = useFetcher<Answer>()
  const form = useSchemaForm(
    credentialForm,
    { site: sites[0] ?? '', name: '', secret: '', until: '' },
    fetcher.data?.fields,
  )
  const isKept = fetcher.state === 'idle' && fetcher.data?.refused === null
  const { reset } = form
  useEffect(() => {
    if (isKept) reset((values) => ({ ...values, name: '', secret: '' }))
  }, [isKept, reset])
  return (
    <>
      <SchemaForm
        label="A credential"
        form={form}
        onSubmit={(values) =>
          void fetcher.submit(
            { do: 'credential-enter', ...values, until: `${values.until}T00:00:00Z` },
            { method: 'post' },
          )
        }
      >
        <ChoiceAt path="site" label="Site" options={sites} width={160} />
        <TextAt path="name" label="Name" mono width={170} />
        <TextAt path="secret" label="Secret" isSecret width={190} />
        <DayAt path="until" label="Until" />
        <Button type="submit" variant="contained" disabled={fetcher.state !== 'idle'}>
          Enter
        </Button>
      </SchemaForm>
      <Refused says={fetcher.data?.refused} />
    </>
  )
}

export function CredentialsPart({
  credentials,
  sites,
  now,
}: {
  readonly credentials: readonly CredentialView[]
  readonly sites: readonly string[]
  readonly now: string
}) {
  const fetcher = useFetcher<Answer>()
  const isBusy = fetcher.state !== 'idle'
  const act: Act = (what, more) => void fetcher.submit({ do: what, ...more }, { method: 'post' })
  return (
    <section
      aria-labelledby="credentials"
      style={{ marginTop: 22, display: 'flex', flexDirection: 'column', minHeight: 190 }}
    >
      <h2 id="credentials" style={{ marginBottom: 8 }}>
        Site credentials
      </h2>
      <EnterCredential sites={sites} />
      <Refused says={fetcher.data?.refused} />
      <Table
        name="credentials"
        columns={columnsOf(now, isBusy, act)}
        rows={credentials}
        id={(credential) => `${credential.site}/${credential.name}`}
        empty="No credential is entered. Clouds take orders only with one: enter its name and its secret above."
      />
    </section>
  )
}
