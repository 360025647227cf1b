/** The address ledger: every range of every routing domain, what collides, and where there is room. */
import { useState } from 'react'
import { useFetcher, useSearchParams } from 'react-router'
import { addressBook, type BookEntry, carveFrom, carveSpan, collisions } from '~/core/fleet'
import { Refusal } from '~/server/changes/errors'
import { orRefused } from '../refusals'
import { parseCidr } from '~/core/addresses'
import { countText } from '~/core/units'
import { breath } from '~/server/breath'
import type { LedgerRead } from '~/server/judging/tasks'
import { gyrarchContext } from '../../context'
import { AddressStrip, stripAround } from '../../drawings/address-strip'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { pathOf, To } from '../../parts/to'
import { fleetAsked } from '../moment'
import type { Route } from './+types/addresses'
import type { Read } from './import'
import { AskForm, Hidden } from '../../kit/ask-form'
import { Drop } from '../../kit/drop'
import { Field } from '../../kit/field'
import { Notice } from '../../kit/notice'

export const meta: Route.MetaFunction = () => [{ title: 'Addresses · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const view = await (await fleetAsked(context.get(gyrarchContext), request)).view()
  const search = new URL(request.url).searchParams
  const book = addressBook(view)
  await breath()
  const domains = [...new Set(book.map((entry) => entry.domain))]
  const domain = domains.find((domain) => domain === search.get('domain')) ?? domains[0] ?? ''
  const within = search.get('within')?.trim().slice(0, 80) ?? ''
  const wanted = (search.get('prefixes') ?? '').slice(0, 200)
  const prefixes = wanted
    .split(/[\s,/]+/)
    .filter((part) => part !== '')
    .map(Number)
  const readable =
    prefixes.length > 0 &&
    prefixes.every((prefix) => Number.isInteger(prefix) && prefix >= 0 && prefix <= 128)
  const [bits, family] = within.includes(':') ? [128, 'IPv6'] : [32, 'IPv4']
  let carved: ReturnType<typeof carveFrom> | null
  if (within === '' || wanted === '') carved = null
  else if (readable && prefixes.some((prefix) => prefix > bits))
    carved = { ok: false, says: `A prefix length of ${family} is at most ${bits}.` }
  else if (readable) carved = carveFrom(book, domain, within, prefixes)
  else
    carved = {
      ok: false,
      says: 'Say which sizes are wanted as prefix lengths, like 22 24 24.',
    }
  await breath()
  const overlaps = collisions(book)
  await breath()
  return {
    domains,
    domain,
    within,
    wanted,
    inside: within !== '' && parseCidr(within).ok,
    carved,
    entries: book.filter((entry) => entry.domain === domain),
    collisions: overlaps,
  }
}

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const text = await request.text()
    if (text.length > 8_000_000) throw new Refusal('too-large', 'The file is larger than 8 MB.')
    const told = await gyrarch.judges.ledger(text, await gyrarch.fleet.view())
    const { bad, ...read } = JSON.parse(told) as LedgerRead
    const shown = { bad: bad.slice(0, 300), more: Math.max(0, bad.length - 300) }
    return { refused: null, read: { ...read, ...shown } }
  })
}

/** Ranges from a CSV file: each bad line by its number, the good ones offered as a change. */
function Import() {
  const fetcher = useFetcher<{ refused: string | null; read?: Read }>()
  const read = fetcher.data?.read
  return (
    <section className="below-table" aria-label="Import">
      <h2>Enter many at once</h2>
      <Drop
        what="CSV file of ranges"
        accept={{ 'text/csv': ['.csv'] }}
        maxBytes={8_000_000}
        refused={fetcher.data?.refused}
        onText={(text) => void fetcher.submit(text, { method: 'post', encType: 'text/plain' })}
      >
        <span className="soft">with the columns domain, range, name</span>
      </Drop>
      {fetcher.state !== 'idle' ? <p className="soft">reading…</p> : null}
      {read ? (
        <div role="status">
          <p>
            {countText(read.good.length, 'good line')},{' '}
            {countText(read.bad.length + read.more, 'bad line')}
            {read.known > 0 ? `, ${read.known} known already` : ''}.
          </p>
          <ul className="facts" style={{ maxHeight: 190, overflow: 'auto' }}>
            {read.bad.map((entry) => (
              <li key={`${entry.line}${entry.says}`}>
                <span>line {entry.line}</span>
                <span className="source">{entry.says}</span>
              </li>
            ))}
          </ul>
          {read.more > 0 ? <p className="soft">and {read.more} more bad lines</p> : null}
          {read.good.length > 0 ? (
            <DraftChange
              kind="ledger.enter"
              intent={{ add: read.good, remove: [] }}
              variant="contained"
            >
              Draft entering {read.good.length} {read.good.length === 1 ? 'range' : 'ranges'}
            </DraftChange>
          ) : null}
        </div>
      ) : null}
    </section>
  )
}

const innerKinds: ReadonlySet<string> = new Set(['DHCP', 'virtual addresses', 'held', 'gateway'])

/** What holds addresses, as the strip draws it; what lies inside another on purpose is inner. */
const heldRanges = (entries: readonly BookEntry[]) =>
  entries
    .filter((entry) => entry.kind !== 'entered')
    .map(({ name, range, kind }) => ({ name, range, inner: innerKinds.has(kind) }))

/** The block that was carved, with a name to enter it under; or that there is none. */
function CarvedBlock({
  domain,
  range,
}: {
  readonly domain: string
  readonly range: string | null
}) {
  const [name, setName] = useState('')
  if (range === null)
    return (
      <p className="soft" role="status">
        No free block lies wholly in what was dragged over.
      </p>
    )
  return (
    <div className="acts" role="status">
      <b className="mono" data-copy={range}>
        {range}
      </b>
      <Field
        label="What it is for"
        hideLabel
        value={name}
        onChange={setName}
        placeholder="what it is for"
      />
      <DraftChange
        kind="ledger.enter"
        intent={{ add: [{ domain, range, name }], remove: [] }}
        disabled={name.trim() === ''}
        variant="contained"
      >
        Draft entering it
      </DraftChange>
    </div>
  )
}

/** Any block to scale, carved by dragging over what is free. */
function DragCarve({
  entries,
  domain,
  within,
}: {
  readonly entries: readonly BookEntry[]
  readonly domain: string
  readonly within: string
}) {
  const [block, setBlock] = useState<{ readonly range: string | null } | null>(null)
  return (
    <div style={{ marginBottom: 12 }}>
      <p className="soft" style={{ marginBottom: 5 }}>
        <span className="mono">{within}</span>: drag over what is free to carve a block. Choose a
        row to look closer.
      </p>
      <AddressStrip
        label={`${within}, drag over what is free to carve a block`}
        range={within}
        height={40}
        onDrag={(first, last) =>
          setBlock({ range: carveSpan(entries, domain, within, first, last) })
        }
        holders={[
          ...heldRanges(entries),
          ...(block?.range ? [{ name: 'carved', range: block.range, mine: true }] : []),
        ]}
      />
      {block ? <CarvedBlock domain={domain} range={block.range} /> : null}
    </div>
  )
}

const columns: readonly Column<BookEntry>[] = [
  {
    name: 'range',
    value: (entry) => entry.range,
    show: (entry) => <span className="mono">{entry.range}</span>,
  },
  { name: 'kind', value: (entry) => entry.kind },
  { name: 'name', value: (entry) => entry.name },
  {
    name: 'holder',
    value: (entry) => entry.about?.split('/')[1] ?? '',
    show: (entry) => {
      const path = entry.about === null ? null : pathOf(entry.about)
      return path === null ? (
        <span className="soft">entered by hand</span>
      ) : (
        <To
          path={path.split('?')[0] ?? path}
          query={Object.fromEntries(new URLSearchParams(path.split('?')[1] ?? ''))}
          className="mono"
        >
          {entry.about?.split('/')[1]}
        </To>
      )
    },
  },
]

type Data = Route.ComponentProps['loaderData']

function Collisions({ collisions }: Pick<Data, 'collisions'>) {
  return (
    <>
      <h2>
        <StateGlyph state={collisions.length > 0 ? 'broken' : 'well'} />{' '}
        {collisions.length > 0
          ? `${countText(collisions.length, 'collision')}`
          : 'Nothing collides'}
      </h2>
      <ul className="facts">
        {collisions.map((collision) => (
          <li key={`${collision.a}${collision.b}${collision.first}`}>
            <span>
              {collision.a} and {collision.b}
            </span>
            <span className="source mono">
              {collision.first} to {collision.last}
            </span>
          </li>
        ))}
      </ul>
    </>
  )
}

/** The blocks that were carved, and what did not fit with what would have to move. */
function Carved({ carved }: Pick<Data, 'carved'>) {
  if (carved === null) return null
  if (!carved.ok) return <Notice>{carved.says}</Notice>
  const { blocks, unfit } = carved.carved
  const moveText = (move: readonly string[]): string =>
    move.length > 0 ? `; ${move.slice(0, 4).join(', ')} would have to move` : ''
  return (
    <ul className="facts" aria-label="Carved">
      {blocks.map(({ block }) => (
        <li key={block}>
          <span className="mono" data-copy={block}>
            {block}
          </span>
          <span className="source">free</span>
        </li>
      ))}
      {unfit.map(({ prefix, largestFree, move }, i) => (
        <li key={`${prefix} ${i}`}>
          <span>/{prefix} does not fit</span>
          <span className="source">
            largest free: {largestFree ?? 'none'}
            {moveText(move)}
          </span>
        </li>
      ))}
    </ul>
  )
}

/** Prefix lengths to carve out of a range. */
function CarveForm({ domain, within, wanted }: Pick<Data, 'domain' | 'within' | 'wanted'>) {
  return (
    <AskForm label="Carve" asks={['domain', 'within', 'prefixes']} verb="Carve">
      <Hidden name="domain" value={domain} />
      <Field
        key={`w${within}`}
        name="within"
        label="Out of"
        mono
        defaultValue={within}
        placeholder="10.44.0.0/20"
        width={200}
      />
      <Field
        key={`p${wanted}`}
        name="prefixes"
        label="Prefix lengths"
        mono
        defaultValue={wanted}
        placeholder="22 24 24"
        width={200}
      />
    </AskForm>
  )
}

const largeKinds: ReadonlySet<string> = new Set(['network', 'pods', 'services'])

/** The range that shows the private networks of a domain. */
const aroundNetworks = (entries: readonly BookEntry[]): string =>
  stripAround(
    entries
      .filter((entry) => largeKinds.has(entry.kind))
      .map((entry) => entry.range)
      .filter((range) => range.startsWith('10.') || range.startsWith('192.')),
    8,
  )

export default function Addresses({ loaderData }: Route.ComponentProps) {
  const { domains, domain, within, inside, carved, entries, collisions } = loaderData
  const [, setSearch] = useSearchParams()
  const lookInto = (range: string): void =>
    setSearch((search) => (search.set('within', range), search.set('domain', domain), search), {
      preventScrollReset: true,
    })
  const carvedBlocks = carved?.ok ? carved.carved.blocks : null
  return (
    <Page
      title="Addresses"
      beside={
        <span className="picker" role="group" aria-label="Routing domain">
          {domains.map((name) => (
            <To
              key={name}
              path="/ground/addresses"
              query={{ domain: name }}
              aria-current={name === domain}
            >
              {name}
            </To>
          ))}
        </span>
      }
      reason={
        <>
          <Collisions collisions={collisions} />
          <Carved carved={carved} />
        </>
      }
    >
      <CarveForm {...loaderData} />
      <DragCarve
        key={`${domain}${within}`}
        entries={entries}
        domain={domain}
        within={inside ? within : aroundNetworks(entries)}
      />
      {carvedBlocks ? (
        <div style={{ marginBottom: 12 }}>
          <AddressStrip
            label={`${within} carved`}
            range={within}
            holders={[
              ...heldRanges(entries),
              ...carvedBlocks.map(({ block }) => ({ name: 'carved', range: block, mine: true })),
            ]}
          />
        </div>
      ) : null}
      <Table
        name={`addresses of ${domain}`}
        columns={columns}
        rows={entries}
        id={(entry) => `${entry.range} ${entry.kind} ${entry.name}`}
        selected={null}
        onSelect={({ range }) => {
          if (range.includes('/')) lookInto(range)
        }}
        empty="Nothing is entered in this domain. Drag over the strip to carve a block, or drop a CSV file of what is in use."
      />
      <Import />
    </Page>
  )
}
