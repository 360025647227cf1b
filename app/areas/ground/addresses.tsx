/** The address ledger: every range of every routing domain, what collides, and where there is room. */
import Button from '@mui/material/Button'
import { Form, useSearchParams } from 'react-router'
import { addressBook, type BookEntry, carveFrom, collisions } from '~/core/fleet'
import { countText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { AddressStrip } from '../../drawings/address-strip'
import { Page } from '../../frame/page'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../parts/table'
import { pathOf, To } from '../../parts/to'
import type { Route } from './+types/addresses'

export const meta: Route.MetaFunction = () => [{ title: 'Addresses · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const view = await context.get(gyrarchContext).fleet.view()
  const search = new URL(request.url).searchParams
  const book = addressBook(view)
  const domains = [...new Set(book.map((entry) => entry.domain))]
  const domain = domains.find((one) => one === search.get('domain')) ?? domains[0] ?? ''
  const within = search.get('within')?.trim().slice(0, 80) ?? ''
  const wanted = (search.get('prefixes') ?? '').slice(0, 200)
  const prefixes = wanted.split(/[\s,/]+/).filter((part) => part !== '').map(Number)
  const readable = prefixes.length > 0 && prefixes.every((prefix) => Number.isInteger(prefix) && prefix >= 0 && prefix <= 128)
  return {
    domains,
    domain,
    within,
    wanted,
    carved: within === '' ? null : readable ? carveFrom(book, domain, within, prefixes) : { ok: false as const, says: 'Say which sizes are wanted as prefix lengths, like 22 24 24.' },
    entries: book.filter((entry) => entry.domain === domain),
    collisions: collisions(book),
  }
}

const columns: readonly Column<BookEntry>[] = [
  { name: 'range', value: (entry) => entry.range, show: (entry) => <span className="mono">{entry.range}</span> },
  { name: 'kind', value: (entry) => entry.kind },
  { name: 'name', value: (entry) => entry.name },
  {
    name: 'holder',
    value: (entry) => entry.about?.split('/')[1] ?? '',
    show: (entry) => {
      const path = entry.about === null ? null : pathOf(entry.about)
      return path === null ? <span className="soft">entered by hand</span> : <To path={path.split('?')[0] ?? path} query={Object.fromEntries(new URLSearchParams(path.split('?')[1] ?? ''))} className="mono">{entry.about?.split('/')[1]}</To>
    },
  },
]

export default function Addresses({ loaderData }: Route.ComponentProps) {
  const { domains, domain, within, wanted, carved, entries, collisions: found } = loaderData
  const [search] = useSearchParams()
  return (
    <Page
      title="Addresses"
      beside={
        <span className="picker" role="group" aria-label="Routing domain">
          {domains.map((one) => (
            <To key={one} path="/ground/addresses" query={{ domain: one }} aria-current={one === domain}>
              {one}
            </To>
          ))}
        </span>
      }
      reason={
        <>
          <h2>
            <StateGlyph state={found.length > 0 ? 'broken' : 'well'} /> {found.length > 0 ? `${countText(found.length, 'collision')}` : 'Nothing collides'}
          </h2>
          <ul className="facts">
            {found.map((collision) => (
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
          <div>
            <h3>Carve</h3>
            <Form method="get" style={{ display: 'grid', gap: 8, marginTop: 6 }}>
              <input type="hidden" name="domain" value={domain} />
              {search.has('aim') ? <input type="hidden" name="aim" value={search.get('aim') ?? ''} /> : null}
              <label className="plain-label">
                Out of
                <input name="within" defaultValue={within} placeholder="10.44.0.0/20" className="journal-search mono" />
              </label>
              <label className="plain-label">
                Prefix lengths
                <input name="prefixes" defaultValue={wanted} placeholder="22 24 24" className="journal-search mono" />
              </label>
              <Button type="submit" variant="contained">
                Carve
              </Button>
            </Form>
          </div>
          {carved === null ? null : carved.ok ? (
            <ul className="facts" aria-label="Carved">
              {carved.carved.blocks.map((block) => (
                <li key={block.block}>
                  <span className="mono" data-copy={block.block}>
                    {block.block}
                  </span>
                  <span className="source">free</span>
                </li>
              ))}
              {carved.carved.unfit.map((one, i) => (
                <li key={`${one.prefix} ${i}`}>
                  <span>/{one.prefix} does not fit</span>
                  <span className="source">
                    largest free: {one.largestFree ?? 'none'}
                    {one.move.length > 0 ? `; ${one.move.slice(0, 4).join(', ')} would have to move` : ''}
                  </span>
                </li>
              ))}
            </ul>
          ) : (
            <p role="alert">{carved.says}</p>
          )}
        </>
      }
    >
      {carved?.ok ? (
        <div style={{ marginBottom: 12 }}>
          <AddressStrip label={`${within} carved`} range={within} holders={[...entries.filter((entry) => entry.kind !== 'entered').map((entry) => ({ name: entry.name, range: entry.range, inner: entry.kind === 'DHCP' || entry.kind === 'virtual addresses' || entry.kind === 'held' || entry.kind === 'gateway' })), ...carved.carved.blocks.map((block) => ({ name: 'carved', range: block.block, mine: true }))]} />
        </div>
      ) : null}
      <Table name={`addresses of ${domain}`} columns={columns} rows={entries} id={(entry) => `${entry.range} ${entry.kind} ${entry.name}`} empty="Nothing is entered in this domain." />
    </Page>
  )
}
