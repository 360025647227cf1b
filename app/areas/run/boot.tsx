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

export default function BootData({ loaderData }: Route.ComponentProps) {
  const { id, label, state, boots } = loaderData
  const [search, setSearch] = useSearchParams()
  const [part, setPart] = useState<(typeof parts)[number]>('user-data')
  const [full, setFull] = useState(false)
  const chosen = boots.find((boot) => boot.machine === search.get('on')) ?? boots[0]
  const pointers = boots.filter((boot) => boot.handed === 'pointer').length
  let text: string
  if (!chosen) text = ''
  else if (part === 'user-data') {
    if (full) text = chosen.fullUserData
    else text = chosen.userData
  } else if (part === 'meta-data') text = chosen.metaData
  else text = chosen.networkConfig
  const at = (file: string): string =>
    `/api/v1/changes/${id}/boot-data/${chosen?.machine ?? ''}/${file}`
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
      reason={
        chosen ? (
          <>
            <div>
              <p className="about mono">{chosen.machine}</p>
              <h2>
                <StateGlyph state={chosen.handed === 'inline' ? 'well' : 'strained'} />{' '}
                {chosen.handed === 'inline' ? 'Handed over whole' : 'Handed over by pointer'}
              </h2>
            </div>
            <dl className="facts">
              <div>
                <dt>in the machine’s field</dt>
                <dd>
                  {numberText(chosen.bytes)} bytes{chosen.base64 ? ', base64' : ''}
                </dd>
              </div>
              <div>
                <dt>the site takes</dt>
                <dd>{chosen.limitBytes === null ? 'any size' : bytesText(chosen.limitBytes)}</dd>
              </div>
              <div>
                <dt>in full</dt>
                <dd>{numberText(chosen.fullBytes)} bytes</dd>
              </div>
              <div>
                <dt>SHA-256</dt>
                <dd className="mono" style={{ overflowWrap: 'anywhere' }}>
                  {chosen.digest}
                </dd>
              </div>
              {chosen.handed === 'pointer' ? (
                <div>
                  <dt>published at</dt>
                  <dd className="mono" style={{ overflowWrap: 'anywhere' }}>
                    {chosen.url}
                  </dd>
                </div>
              ) : null}
            </dl>
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
              Secrets are masked here. What is downloaded holds a join token for one use and 30
              minutes, and no other.
            </p>
          </>
        ) : (
          <h2>No machine is booted</h2>
        )
      }
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
          onSelect={(boot) => setSearch((was) => (was.set('on', boot.machine), was))}
          empty="The draft asks for no machine yet."
        />
      </div>
      {chosen ? (
        <>
          <div className="acts" style={{ margin: '12px 0 8px' }}>
            <Toggle label="Which file" options={parts} value={part} onChange={setPart} />
            {part === 'user-data' && chosen.handed === 'pointer' ? (
              <Switch label="The published file" checked={full} onChange={setFull} />
            ) : null}
          </div>
          <pre className="script scroll" tabIndex={0} aria-label={`${part} of ${chosen.machine}`}>
            {text}
          </pre>
        </>
      ) : null}
    </Page>
  )
}
