/** SSH keys: made here or pasted. A private half is shown once, on the page that made it. */
import { z } from 'zod'
import Button from '@mui/material/Button'
import { useEffect } from 'react'
import { useFetcher } from 'react-router'
import { askedForm, field } from '../asked'
import { gyrarchContext } from '../../context'
import { sshKeyForm } from '~/core/keys'
import { countText } from '~/core/units'
import { Page } from '../../frame/page'
import { Attention, type AttentionProps } from '../../parts/attention'
import { CopyButton } from '../../parts/copy-button'
import { SchemaForm, TextAt, useSchemaForm } from '../../kit/form'
import { saveFile } from '../../kit/save-file'
import { type Column, Table } from '../../kit/table/table'
import type { KeyRecord } from '~/server/keys/keys'
import { orRefused, type Refused as RefusedAnswer } from '../refusals'
import { CredentialsPart } from './credentials'
import type { Route } from './+types/keys'
import { Refused } from '../../kit/notice'

export const meta: Route.MetaFunction = () => [{ title: 'Keys and credentials · Gyrarch' }]

export async function loader({ context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const view = await gyrarch.fleet.view()
  return {
    keys: await gyrarch.keys.list(),
    credentials: view.credentials,
    sites: view.sites.filter((site) => site.kind === 'cloud').map((site) => site.name),
    now: view.now,
  }
}

const acting = z.object({
  do: z.enum([
    'credential-enter',
    'credential-check',
    'credential-remove',
    'strike',
    'paste',
    'make',
  ]),
  site: field(),
  name: field(),
  secret: field(20_000),
  until: field(),
  publicKey: field(20_000),
})

export async function action({ request, context }: Route.ActionArgs) {
  const { keys, credentials } = context.get(gyrarchContext)
  return orRefused(async () => {
    const asked = await askedForm(request, acting)
    const name = asked.name.trim()
    switch (asked.do) {
      case 'credential-enter':
        await credentials.enter({ ...asked, name })
        break
      case 'credential-check':
        await credentials.check(asked.site, asked.name)
        break
      case 'credential-remove':
        await credentials.remove(asked.site, asked.name)
        break
      case 'strike':
        await keys.strike(asked.name)
        break
      case 'paste':
        await keys.paste(name, asked.publicKey)
        break
      case 'make':
        return { refused: null, fields: [], made: { name, privateKey: await keys.make(name) } }
    }
    return { refused: null, fields: [], made: null }
  })
}

type Answer =
  | {
      readonly refused: null
      readonly fields: RefusedAnswer['fields']
      readonly made: { readonly name: string; readonly privateKey: string } | null
    }
  | (RefusedAnswer & { readonly made?: undefined })

/** The private half of a key that was just made: it is shown this once. */
function MadeKey({ name, privateKey }: NonNullable<Answer['made']>) {
  return (
    <>
      <h2>
        The private half of <span className="mono">{name}</span>
      </h2>
      <p>
        It is shown this once and kept nowhere. Download it now, or strike the key and make another.
      </p>
      <div className="acts">
        <Button
          variant="contained"
          onClick={() => saveFile(name, 'application/octet-stream', privateKey)}
        >
          Download
        </Button>
        <CopyButton text={() => privateKey}>Copy</CopyButton>
      </div>
    </>
  )
}

/** A key entered by its public half, or made: by whether a public half is given. */
function EnterKey({ fetcher }: { readonly fetcher: ReturnType<typeof useFetcher<Answer>> }) {
  const form = useSchemaForm(sshKeyForm, { name: '', publicKey: '' }, fetcher.data?.fields)
  const isBusy = fetcher.state !== 'idle'
  const isEntered = form.watch('publicKey') !== ''
  const isKept = fetcher.state === 'idle' && fetcher.data?.refused === null
  const { reset } = form
  useEffect(() => {
    if (isKept) reset()
  }, [isKept, reset])
  return (
    <SchemaForm
      label="A key for machines"
      form={form}
      onSubmit={(values) =>
        void fetcher.submit(
          isEntered ? { do: 'paste', ...values } : { do: 'make', name: values.name },
          { method: 'post' },
        )
      }
    >
      <TextAt path="name" label="Name" mono width={170} />
      <TextAt
        path="publicKey"
        label="Public key, to enter one that exists"
        mono
        placeholder="ssh-ed25519 …"
        width={330}
      />
      <Button type="submit" variant="contained" disabled={isBusy}>
        {isEntered ? 'Enter it' : 'Make a new one'}
      </Button>
    </SchemaForm>
  )
}

const keyColumns = (
  busy: boolean,
  strike: (name: string) => void,
): readonly Column<KeyRecord>[] => [
  {
    name: 'name',
    value: (key) => key.name,
    show: (key) => <span className="mono">{key.name}</span>,
  },
  {
    name: 'fingerprint',
    value: (key) => key.fingerprint ?? '',
    show: (key) =>
      key.fingerprint === null ? (
        <span className="soft">known by name only</span>
      ) : (
        <span className="mono">{key.fingerprint}</span>
      ),
    wraps: true,
  },
  {
    name: 'strike',
    value: () => '',
    show: (key) => (
      <Button
        variant="text"
        disabled={busy}
        aria-label={`Strike ${key.name}`}
        onClick={() => strike(key.name)}
      >
        Strike
      </Button>
    ),
  },
]

const monthMs = 30 * 86_400_000

function endingText({
  credentials,
  now,
}: Pick<Route.ComponentProps['loaderData'], 'credentials' | 'now'>): AttentionProps {
  const refused = credentials.filter(({ checked }) => checked?.good === false).length
  const ending = credentials.filter(
    ({ until }) => Date.parse(until) - Date.parse(now) < monthMs,
  ).length
  return {
    wants: [
      ...(refused > 0
        ? [countText(refused, 'credential was refused', 'credentials were refused')]
        : []),
      ...(ending > 0
        ? [`${countText(ending, 'credential ends', 'credentials end')} within 30 days`]
        : []),
    ],
    well: 'no credential ends within 30 days',
  }
}

export default function KeysPage({ loaderData }: Route.ComponentProps) {
  const fetcher = useFetcher<Answer>()
  const striking = useFetcher<Answer>()
  const made = fetcher.data?.made ?? null
  // A key that was made and struck again is not shown any more.
  const isThere = loaderData.keys.some(({ name }) => name === made?.name)
  const strike = (name: string): void =>
    void striking.submit({ do: 'strike', name }, { method: 'post' })
  return (
    <Page
      title="Keys and credentials"
      beside={<Attention {...endingText(loaderData)} />}
      reason={
        made && isThere ? (
          <MadeKey {...made} />
        ) : (
          <>
            <h2>Keys for machines</h2>
            <p className="soft">
              A cluster’s machines let in whoever holds the key its draft names. Gyrarch keeps
              public halves only.
            </p>
          </>
        )
      }
    >
      <EnterKey fetcher={fetcher} />
      <Refused says={fetcher.data?.refused ?? striking.data?.refused} />
      <div
        style={{
          flex: '0 0 auto',
          maxHeight: 280,
          minHeight: 110,
          display: 'flex',
          flexDirection: 'column',
        }}
      >
        <Table
          name="SSH keys"
          columns={keyColumns(striking.state !== 'idle', strike)}
          rows={loaderData.keys}
          id={(key) => key.name}
          empty="No key is entered. Make one, or paste the public half of yours."
        />
      </div>
      <CredentialsPart
        credentials={loaderData.credentials}
        sites={loaderData.sites}
        now={loaderData.now}
      />
    </Page>
  )
}
