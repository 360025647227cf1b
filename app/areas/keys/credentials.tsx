/** Site credentials: entered once, encrypted at rest, checked with their site, never shown again. */
import Button from '@mui/material/Button'
import MenuItem from '@mui/material/MenuItem'
import TextField from '@mui/material/TextField'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import type { CredentialView } from '~/core/fleet'
import { StateText } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import type { Refused as RefusedAnswer } from '../refusals'
import { Refused } from '../../kit/notice'

const slots = { inputLabel: { shrink: true } }

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
  const [form, setForm] = useState({ site: sites[0] ?? '', name: '', secret: '', until: '' })
  const busy = fetcher.state !== 'idle'
  const wrong = (path: string): string | undefined =>
    fetcher.data?.refused
      ? fetcher.data.fields.find((field) => field.path === path)?.says
      : undefined
  const send = (what: string, more: Record<string, string>): void =>
    void fetcher.submit({ do: what, ...more }, { method: 'post' })
  const columns: readonly Column<CredentialView>[] = [
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
        <StateText
          state={
            credential.until <= now
              ? 'broken'
              : Date.parse(credential.until) - Date.parse(now) < 30 * 86_400_000
                ? 'strained'
                : 'well'
          }
        >
          {credential.until.slice(0, 10)}
        </StateText>
      ),
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
      show: (credential) => (
        <>
          <Button
            variant="text"
            disabled={busy}
            onClick={() =>
              send('credential-check', { site: credential.site, name: credential.name })
            }
            aria-label={`Check ${credential.name}`}
          >
            Check
          </Button>
          <Button
            variant="text"
            disabled={busy}
            onClick={() =>
              send('credential-remove', { site: credential.site, name: credential.name })
            }
            aria-label={`Remove ${credential.name}`}
          >
            Remove
          </Button>
        </>
      ),
    },
  ]
  return (
    <section
      aria-labelledby="credentials"
      style={{ marginTop: 22, display: 'flex', flexDirection: 'column', minHeight: 190 }}
    >
      <h2 id="credentials" style={{ marginBottom: 8 }}>
        Site credentials
      </h2>
      <div className="acts" style={{ alignItems: 'flex-start', marginBottom: 12 }}>
        <TextField
          select
          label="Site"
          value={form.site}
          onChange={(event) => setForm({ ...form, site: event.target.value })}
          sx={{ width: 160 }}
          slotProps={slots}
        >
          {sites.map((site) => (
            <MenuItem key={site} value={site}>
              {site}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Name"
          value={form.name}
          onChange={(event) => setForm({ ...form, name: event.target.value })}
          error={wrong('name') !== undefined}
          helperText={wrong('name')}
          sx={{ width: 170 }}
          slotProps={slots}
        />
        <TextField
          label="Secret"
          type="password"
          autoComplete="off"
          value={form.secret}
          onChange={(event) => setForm({ ...form, secret: event.target.value })}
          error={wrong('secret') !== undefined}
          helperText={wrong('secret')}
          sx={{ width: 190 }}
          slotProps={slots}
        />
        <TextField
          label="Until"
          type="date"
          value={form.until}
          onChange={(event) => setForm({ ...form, until: event.target.value })}
          error={wrong('until') !== undefined}
          helperText={wrong('until')}
          sx={{ width: 150 }}
          slotProps={slots}
        />
        <div className="acts" style={{ marginTop: 19 }}>
          <Button
            variant="contained"
            disabled={busy || form.name === '' || form.secret === ''}
            onClick={() => {
              send('credential-enter', {
                ...form,
                until: form.until === '' ? '' : `${form.until}T00:00:00Z`,
              })
              setForm({ ...form, secret: '' })
            }}
          >
            Enter
          </Button>
        </div>
      </div>
      <Refused says={fetcher.data?.refused} />
      <Table
        name="credentials"
        columns={columns}
        rows={credentials}
        id={(credential) => `${credential.site}/${credential.name}`}
        empty="No credential is entered. Clouds take orders only with one."
      />
    </section>
  )
}
