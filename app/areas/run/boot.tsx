/** The boot data of a draft or run: what each machine is handed, masked, with its size against what the site takes. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { redirect, useSearchParams } from 'react-router'
import { countText, bytesText, numberText } from '~/core/units'
import type { BootView } from '~/server/boot/boot'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { orNotFound } from '../refusals'
import './run.css'
import type { Route } from './+types/boot'
import { Switch } from '../../kit/tick'
import { Toggle } from '../../kit/toggles'
import { Tip } from '../../kit/tip'

export const meta: Route.MetaFunction = ({ params }) => [
  { title: `Boot data of ${params.id} · Gyrarch` },
]

export async function loader({ params, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const record = await orNotFound(() => gyrarch.changes.get(params.id))
  if (record.kind !== 'cluster.raise') throw redirect(`/changes/${record.id}`)
  return {
    id: record.id,
    label: record.label,
    state: record.state,
    boots: await orNotFound(() => gyrarch.boot.views(params.id)),
    aim: `site/${String((record.intent as { site?: string }).site ?? '')}`,
  }
}

const columns: readonly Column<BootView>[] = [
  {
    name: 'machine',
    value: (boot) => boot.machine,
    show: (boot) => <span className="mono">{boot.machine}</span>,
  },
  {
    name: 'node',
    value: (boot) => boot.node,
    show: (boot) => <span className="mono">{boot.node}</span>,
  },
  {
    name: 'handed over',
    value: (boot) => boot.handed,
    show: (boot) => (boot.handed === 'inline' ? 'whole' : 'by pointer'),
  },
  { name: 'bytes', value: (boot) => boot.bytes, number: true },
  { name: 'in full', value: (boot) => boot.fullBytes, number: true },
  {
    name: 'limit',
    value: (boot) => boot.limitBytes ?? 0,
    show: (boot) => (boot.limitBytes === null ? 'none' : numberText(boot.limitBytes)),
    number: true,
  },
]

const parts = ['user-data', 'meta-data', 'network-config'] as const

type Part = (typeof parts)[number]

/** A file as it is handed to the machine, or, of one by pointer, what the pointer leads to. */
function fileText(boot: BootView, part: Part, full: boolean): string {
  switch (part) {
    case 'user-data':
      return full ? boot.fullUserData : boot.userData
    case 'meta-data':
      return boot.metaData
    case 'network-config':
      return boot.networkConfig
  }
}

function Facts({ boot }: { readonly boot: BootView }) {
  return (
    <dl className="facts">
      <div>
        <dt>in the machine’s field</dt>
        <dd>
          {numberText(boot.bytes)} bytes{boot.base64 ? ', base64' : ''}
        </dd>
      </div>
      <div>
        <dt>the site takes</dt>
        <dd>{boot.limitBytes === null ? 'any size' : bytesText(boot.limitBytes)}</dd>
      </div>
      <div>
        <dt>in full</dt>
        <dd>{numberText(boot.fullBytes)} bytes</dd>
      </div>
      <div>
        <dt>SHA-256</dt>
        <dd className="mono" style={{ overflowWrap: 'anywhere' }}>
          {boot.digest}
        </dd>
      </div>
      {boot.handed === 'pointer' ? (
        <div>
          <dt>published at</dt>
          <dd className="mono" style={{ overflowWrap: 'anywhere' }}>
            {boot.url}
          </dd>
        </div>
      ) : null}
    </dl>
  )
}

/** How a machine gets its boot data, and the files to download. */
function BootReason({ id, boot }: { readonly id: string; readonly boot: BootView }) {
  const at = (file: string): string => `/api/v1/changes/${id}/boot-data/${boot.machine}/${file}`
  const isWhole = boot.handed === 'inline'
  return (
    <>
      <div>
        <p className="about mono">{boot.machine}</p>
        <h2>
          <StateGlyph state={isWhole ? 'well' : 'strained'} />{' '}
          {isWhole ? 'Handed over whole' : 'Handed over by pointer'}
        </h2>
      </div>
      <Facts boot={boot} />
      <div className="acts">
        {parts.map((name) => (
          <Button key={name} variant="outlined" href={at(name)}>
            {name}
          </Button>
        ))}
        <Tip says="An ISO 9660 image labelled CIDATA, for a machine that boots from a stick">
          <Button variant="outlined" href={at('seed.iso')}>
            Seed volume
          </Button>
        </Tip>
        <Button variant="contained" href={`/api/v1/changes/${id}/boot-data.tar`}>
          All, as tar
        </Button>
      </div>
      <p className="soft">
        Secrets are masked here. What is downloaded holds a join token for one use and 30 minutes,
        and no other.
      </p>
    </>
  )
}

/** One file of a machine’s boot data. */
function File({ boot }: { readonly boot: BootView }) {
  const [part, setPart] = useState<Part>('user-data')
  const [full, setFull] = useState(false)
  return (
    <>
      <div className="acts" style={{ margin: '12px 0 8px' }}>
        <Toggle label="Which file" options={parts} value={part} onChange={setPart} />
        {part === 'user-data' && boot.handed === 'pointer' ? (
          <Switch label="The published file" checked={full} onChange={setFull} />
        ) : null}
      </div>
      <pre className="script scroll" tabIndex={0} aria-label={`${part} of ${boot.machine}`}>
        {fileText(boot, part, full)}
      </pre>
    </>
  )
}

export default function BootData({ loaderData }: Route.ComponentProps) {
  const { id, label, state, boots } = loaderData
  const [search, setSearch] = useSearchParams()
  const chosen = boots.find((boot) => boot.machine === search.get('on')) ?? boots[0]
  const pointers = boots.filter((boot) => boot.handed === 'pointer').length
  return (
    <Page
      title={`Boot data: ${label}`}
      beside={
        <To
          path={state === 'draft' ? `/raise/${id}` : `/changes/${id}`}
          className="quiet-button"
          style={{ textDecoration: 'none' }}
        >
          back to {id}
        </To>
      }
      reason={chosen ? <BootReason id={id} boot={chosen} /> : <h2>No machine is booted</h2>}
    >
      <p className="soft" style={{ marginBottom: 8 }}>
        {countText(boots.length, 'machine')}
        {pointers > 0
          ? `, ${pointers} by pointer: their boot data is larger than the site takes`
          : ', every one handed its boot data whole'}
        .
      </p>
      <div
        style={{
          flex: '0 0 auto',
          maxHeight: 200,
          display: 'flex',
          flexDirection: 'column',
          minHeight: 120,
        }}
      >
        <Table
          name={`boot data of ${id}`}
          columns={columns}
          rows={boots}
          id={(boot) => boot.machine}
          selected={chosen?.machine ?? null}
          onSelect={(boot) => setSearch((before) => (before.set('on', boot.machine), before))}
          empty="The draft asks for no machine yet."
        />
      </div>
      {chosen ? <File boot={chosen} /> : null}
    </Page>
  )
}
