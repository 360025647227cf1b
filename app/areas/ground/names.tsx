/** Name records of a site: what is served, what a zone file would change, and whether names lead where they should. */
import { z } from 'zod'
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import type { RecordView } from '~/core/fleet'
import { resolve } from '~/core/ground'
import { countText } from '~/core/units'
import { Refusal } from '~/server/changes/errors'
import { askedJson } from '../asked'
import type { ZoneRead } from '~/server/judging/tasks'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { orRefused } from '../refusals'
import { fleetAsked } from '../moment'
import type { Route } from './+types/names'
import './ground.css'
import { AskForm } from '../../kit/ask-form'
import { Drop } from '../../kit/drop'
import { Field } from '../../kit/field'

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Names at ${loaderData?.site ?? 'no site'} · Gyrarch` },
]

export async function loader({ request, context }: Route.LoaderArgs) {
  const view = await (await fleetAsked(context.get(gyrarchContext), request)).view()
  const search = new URL(request.url).searchParams
  const served = view.sites.filter((site) => site.nameServers.length > 0)
  const site = served.find((site) => site.name === search.get('site')) ?? served[0] ?? null
  const requested = search.get('name')?.trim().slice(0, 253) ?? ''
  // What should resolve: the API of every cluster of the site, at the address it answers on.
  const wants = site
    ? view.clusters
        .filter((cluster) => cluster.site === site.name)
        .map((cluster) => {
          const name = `api.${cluster.name}`
          const address = /\/\/([^:]+):/.exec(cluster.endpoint)?.[1] ?? ''
          const result = resolve(site.records, site.nameDomain, name)
          return {
            name,
            cluster: cluster.name,
            address,
            values: result.addresses,
            good: result.addresses.includes(address),
          }
        })
    : []
  return {
    site: site?.name ?? null,
    domain: site?.nameDomain ?? '',
    sites: served.map((otherSite) => otherSite.name),
    records: site?.records ?? [],
    asked: requested,
    resolved: site && requested !== '' ? resolve(site.records, site.nameDomain, requested) : null,
    wants,
    aim: site ? `site/${site.name}` : null,
  }
}

const reading = z.object({
  site: z.string().max(253),
  text: z.string().max(4_000_000, 'The zone file is larger than 4 MB.'),
})

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const { site: name, text } = await askedJson(request, reading)
    const site = (await gyrarch.fleet.view()).sites.find((site) => site.name === name)
    if (!site) throw new Refusal('invalid', 'Give a site and the text of a zone file.')
    const told = await gyrarch.judges.zone(text, site.name, await gyrarch.fleet.view())
    const { records, problems, change } = JSON.parse(told) as ZoneRead
    return {
      refused: null,
      read: {
        records: records.length,
        problems: problems.slice(0, 200),
        more: Math.max(0, problems.length - 200),
        change,
      },
    }
  })
}

const columns: readonly Column<RecordView>[] = [
  {
    name: 'name',
    value: (record) => record.name,
    show: (record) => <span className="mono">{record.name}</span>,
  },
  { name: 'type', value: (record) => record.type },
  {
    name: 'value',
    value: (record) => record.value,
    show: (record) => <span className="mono">{record.value}</span>,
  },
  { name: 'time to live', value: (record) => record.ttl, number: true },
]

type Read = {
  readonly records: number
  readonly problems: readonly {
    readonly line: number
    readonly level: string
    readonly says: string
  }[]
  readonly more: number
  readonly change: {
    readonly kind: string
    readonly intent: { readonly set: readonly unknown[]; readonly remove: readonly unknown[] }
  } | null
}

function Import({ site }: { readonly site: string }) {
  const fetcher = useFetcher<{ refused: string | null; read?: Read }>()
  const [text, setText] = useState('')
  const read = fetcher.data?.read
  const send = (body: string): void =>
    void fetcher.submit(JSON.stringify({ site, text: body }), {
      method: 'post',
      encType: 'application/json',
    })
  return (
    <section className="below-table" aria-label="Read a zone file">
      <h2>Read a zone file</h2>
      <Drop
        what="zone file"
        accept={{ 'text/plain': ['.zone', '.txt', '.db'] }}
        maxBytes={8_000_000}
        refused={fetcher.data?.refused}
        onText={(body) => {
          setText(body)
          send(body)
        }}
      />
      <Field
        label="Zone file"
        hideLabel
        mono
        rows={5}
        value={text}
        onChange={setText}
        placeholder={'$TTL 1h\napi.oak  A  10.20.0.60'}
        width="100%"
      />
      <div className="acts">
        <Button
          variant="contained"
          disabled={text.trim() === '' || fetcher.state !== 'idle'}
          onClick={() => send(text)}
        >
          Read it
        </Button>
      </div>
      {read ? (
        <div role="status">
          <p>
            {countText(read.records, 'record')} read,{' '}
            {countText(
              read.problems.filter((problem) => problem.level === 'stop').length,
              'bad line',
            )}
            .
          </p>
          <ul className="facts">
            {read.problems.map((problem) => (
              <li key={`${problem.line}${problem.says}`}>
                <span>
                  <StateGlyph state={problem.level === 'stop' ? 'broken' : 'strained'} />{' '}
                  {problem.line > 0 ? `line ${problem.line}` : 'the whole'}
                </span>
                <span className="source">{problem.says}</span>
              </li>
            ))}
          </ul>
          {read.more > 0 ? <p className="soft">and {read.more} more</p> : null}
          {read.change ? (
            <DraftChange kind={read.change.kind} intent={read.change.intent} variant="contained">
              Draft: set {read.change.intent.set.length}, remove {read.change.intent.remove.length}
            </DraftChange>
          ) : (
            <p className="soft">It says what is served already.</p>
          )}
        </div>
      ) : null}
    </section>
  )
}

type Data = Route.ComponentProps['loaderData']
type Want = Data['wants'][number]

function wantsText(wants: readonly Want[]): string {
  const wrong = wants.filter((want) => !want.good).length
  if (wrong > 0) return `${countText(wrong, 'name')} of ${wants.length} should lead elsewhere`
  return wants.length === 0 ? 'No cluster stands here' : 'What should resolve does'
}

/** The names that clusters need, with what each leads to now. */
function WantedNames({ site, wants }: { readonly site: string; readonly wants: readonly Want[] }) {
  return (
    <>
      <h2>
        <StateGlyph state={wants.every((want) => want.good) ? 'well' : 'strained'} />{' '}
        {wantsText(wants)}
      </h2>
      <ul className="facts">
        {wants.map(({ name, good, address, values }) => {
          const leadsElsewhere = !good && address !== ''
          return (
            <li key={name}>
              <span>
                <StateGlyph state={good ? 'well' : 'strained'} />{' '}
                <span className="mono">{name}</span>
              </span>
              <span className="source mono">
                {values.join(' ') || 'nothing'}
                {leadsElsewhere ? `, not ${address}` : ''}
              </span>
              {leadsElsewhere ? (
                <DraftChange
                  kind="wire.record"
                  intent={{
                    site,
                    set: [{ name, type: 'A', ttl: 3600, value: address }],
                    remove: values.map((value) => ({ name, type: 'A', value })),
                  }}
                  variant="text"
                >
                  Add it
                </DraftChange>
              ) : null}
            </li>
          )
        })}
      </ul>
    </>
  )
}

/** A name asked of the site’s name server, with the answer. */
function AskName({
  site,
  domain,
  asked,
  resolved,
}: Pick<Data, 'domain' | 'asked' | 'resolved'> & { readonly site: string }) {
  return (
    <>
      <h3>Ask for a name</h3>
      <AskForm label="Ask for a name" asks={['name']} verb={`Ask ${site}`}>
        <Field
          key={asked}
          name="name"
          label="Name"
          hideLabel
          mono
          defaultValue={asked}
          placeholder={`api.cedar.${domain}`}
          width={200}
        />
      </AskForm>
      {resolved ? (
        <p role="status">
          <StateGlyph state={resolved.addresses.length > 0 ? 'well' : 'broken'} />{' '}
          <span className="mono">
            {[...resolved.path, resolved.addresses.join(' ') || 'no answer'].join(' → ')}
          </span>
        </p>
      ) : null}
    </>
  )
}

export default function Names({ loaderData }: Route.ComponentProps) {
  const { site, sites, domain, records, wants } = loaderData
  if (site === null) {
    return (
      <Page title="Name records" reason={<h2>No name server is known</h2>}>
        <p className="empty">No site has a name server of its own.</p>
      </Page>
    )
  }
  return (
    <Page
      title={`Names of ${domain}`}
      beside={
        <span className="picker" role="group" aria-label="Site">
          {sites.slice(0, 6).map((name) => (
            <To key={name} path="/ground/names" query={{ site: name }} aria-current={name === site}>
              {name}
            </To>
          ))}
        </span>
      }
      reason={
        <>
          <WantedNames site={site} wants={wants} />
          <AskName {...loaderData} site={site} />
          <div className="acts">
            <Button variant="outlined" href={`/api/v1/sites/${site}/zone`}>
              Zone file
            </Button>
            <DraftChange
              kind="wire.record"
              intent={{ site, set: [{ name: '', type: 'A', ttl: 3600, value: '' }] }}
            >
              Set a record
            </DraftChange>
          </div>
        </>
      }
    >
      <Table
        name={`records of ${site}`}
        columns={columns}
        rows={records}
        id={(record) => `${record.name} ${record.type} ${record.value}`}
        empty="Its name server serves no record yet. Read a zone file below, or set a first record."
      />
      <Import site={site} />
    </Page>
  )
}
