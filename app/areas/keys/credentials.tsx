/** Site credentials: entered once, encrypted at rest, checked with their site, never shown again. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import type { CredentialView } from '~/core/fleet'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { Day } from '../../kit/day'
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

function EnterCredential({
  sites,
  isBusy,
  wrong,
  act,
}: {
  readonly sites: readonly string[]
  readonly isBusy: boolean
  readonly wrong: (path: string) => string | undefined
  readonly act: Act
}) {
  const [form, setForm] = useState({ site: sites[0] ?? '', name: '', secret: '', until: '' })
  const set = (part: Partial<typeof form>): void => setForm({ ...form, ...part })
  const enter = (): void => {
    act('credential-enter', {
      ...form,
      until: form.until === '' ? '' : `${form.until}T00:00:00Z`,
    })
    set({ secret: '' })
  }
  return (
    <div className="fields">
      <Choice
        label="Site"
        value={form.site}
        options={sites}
        onChange={(site) => set({ site })}
        width={160}
      />
      <Field
        label="Name"
        value={form.name}
        onChange={(name) => set({ name })}
        error={wrong('name')}
        width={170}
      />
      <Field
        label="Secret"
        isSecret
        value={form.secret}
        onChange={(secret) => set({ secret })}
        error={wrong('secret')}
        width={190}
      />
      <Day
        label="Until"
        value={form.until}
        onChange={(until) => set({ until })}
        error={wrong('until')}
      />
      <Button
        variant="contained"
        disabled={isBusy || form.name === '' || form.secret === ''}
        onClick={enter}
      >
        Enter
      </Button>
    </div>
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
  const fetcher = useFetcher<{ refused: string | null; fields: RefusedAnswer['fields'] }>()
  const isBusy = fetcher.state !== 'idle'
  const { data } = fetcher
  const act: Act = (what, more) => void fetcher.submit({ do: what, ...more }, { method: 'post' })
  return (
    <section
      aria-labelledby="credentials"
      style={{ marginTop: 22, display: 'flex', flexDirection: 'column', minHeight: 190 }}
    >
      <h2 id="credentials" style={{ marginBottom: 8 }}>
        Site credentials
      </h2>
      <EnterCredential
        sites={sites}
        isBusy={isBusy}
        act={act}
        wrong={(path) =>
          data?.refused ? data.fields.find((field) => field.path === path)?.says : undefined
        }
      />
      <Refused says={data?.refused} />
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
