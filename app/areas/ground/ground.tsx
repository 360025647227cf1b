/** The ground: sites with their zones, hosts, room and networks. */
import Button from '@mui/material/Button'
import { Form, redirect, useNavigate, useSearchParams } from 'react-router'
import {
  leftovers,
  type SiteView,
  siteState,
  type State,
  stateContext,
  whoHolds,
} from '~/core/fleet'
import { hostLoss } from '~/core/sizing'
import { bytesText, countText, listText, numberText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { AddressStrip, stripAround } from '../../drawings/address-strip'
import { useKey } from '../../frame/keys'
import { DraftChange } from '../../parts/draft-change'
import { Page } from '../../frame/page'
import { Reason } from '../../parts/reason'
import { RefLink } from '../../parts/ref-link'
import { StateGlyph, StateText } from '../../parts/state'
import { type Column, Table } from '../../parts/table'
import { To, useAddress } from '../../parts/to'
import { reasonFor } from '../reason-data'
import { orRefused } from '../refusals'
import type { Route } from './+types/ground'
import { Loss } from './loss'
import { Credentials, Orphans, Routes, Services, SiteActs } from './parts'
import './ground.css'

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.site?.name ?? 'Ground'} · Ground · Gyrarch` },
]

interface SiteRow {
  readonly name: string
  readonly title: string
  readonly kind: string
  readonly state: State
  readonly zones: string
  readonly machines: number
  readonly used: number
  readonly of: number
}

const coresOf = (site: SiteView): number =>
  site.quotaCores ?? site.hosts.reduce((sum, host) => sum + host.cores, 0) * site.overcommit
const usedOf = (site: SiteView): number =>
  site.machines.reduce((sum, machine) => sum + machine.cores, 0)

/** Cores used, reserved for failover and by runs, and free, in each zone and on each host. */
function roomOf(
  site: SiteView,
  pending: readonly { readonly zone?: string; readonly cores?: number; readonly what: string }[],
) {
  const seen = new Set(site.machines.map((machine) => machine.name))
  return site.zones.map((zone) => {
    const hosts = site.hosts
      .filter((host) => host.zone === zone)
      .map((host) => {
        const on = site.machines.filter((machine) => machine.host === host.name)
        return {
          name: host.name,
          cores: host.cores * site.overcommit,
          memoryBytes: host.memoryBytes,
          used: on.reduce((sum, machine) => sum + machine.cores, 0),
          usedMemory: on.reduce((sum, machine) => sum + machine.memoryBytes, 0),
          machines: on.map((machine) => ({
            name: machine.name,
            cores: machine.cores,
            cluster: machine.cluster,
          })),
        }
      })
    const cores = hosts.reduce((sum, host) => sum + host.cores, 0)
    const reserve =
      hosts.length > 0 ? Math.max(...hosts.map((host) => host.cores)) * site.reservePerZone : 0
    const machines = site.machines.filter((machine) => machine.zone === zone)
    const used = machines.reduce((sum, machine) => sum + machine.cores, 0)
    const taken = pending
      .filter((reservation) => reservation.zone === zone && !seen.has(reservation.what))
      .reduce((sum, reservation) => sum + (reservation.cores ?? 0), 0)
    return {
      zone,
      hosts,
      cores,
      reserve,
      used,
      taken,
      machines: machines.length,
      free: Math.max(0, cores - reserve - used - taken),
    }
  })
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const view = await gyrarch.fleet.view()
  const search = new URL(request.url).searchParams
  const aim = search.get('aim') ?? ''
  const wish =
    search.get('site') ??
    (aim.startsWith('site/')
      ? aim.slice(5)
      : view.clusters.find((cluster) => `cluster/${cluster.name}` === aim)?.site)
  const site = view.sites.find((other) => other.name === wish) ?? view.sites[0] ?? null
  const state = stateContext(view)
  return {
    now: view.now,
    site,
    aim: site && search.has('site') ? `site/${site.name}` : null,
    room: site
      ? roomOf(
          site,
          view.reservations.filter((taken) => taken.site === site.name && taken.kind === 'machine'),
        )
      : [],
    left: site ? leftovers(site, view.clusters) : [],
    credentials: view.credentials.filter((credential) => credential.site === site?.name),
    clusters: site
      ? view.clusters
          .filter((cluster) => cluster.site === site.name)
          .map((cluster) => ({
            name: cluster.name,
            pods: cluster.pods,
            services: cluster.services,
          }))
      : [],
    reason: reasonFor(view, site ? `site/${site.name}` : null),
    releases: view.catalogue
      .filter(
        (release) =>
          release.withdrawn === null &&
          site !== null &&
          release.architectures.includes(site.arch) &&
          !site.images.some((image) => image.release === release.version),
      )
      .map((release) => release.version)
      .reverse(),
    loss:
      site && search.has('host')
        ? hostLoss(site.hosts, site.machines, search.get('host') ?? '', site.overcommit)
        : null,
    asked: search.get('address')?.trim().slice(0, 80) ?? '',
    found: search.get('address')?.trim() ? whoHolds(view, search.get('address') ?? '') : null,
    sites: view.sites.map((other): SiteRow => ({
      name: other.name,
      title: other.title,
      kind: other.kind,
      state: siteState(other, view.clusters, state).state,
      zones: listText(other.zones),
      machines: other.machines.length,
      used: usedOf(other),
      of: coresOf(other),
    })),
  }
}

export async function action({ request, context }: Route.ActionArgs) {
  const { changes } = context.get(gyrarchContext)
  const form = await request.formData()
  return orRefused(async () => {
    const record = await changes.draft('image.place', {
      site: String(form.get('site') ?? ''),
      release: String(form.get('release') ?? ''),
    })
    throw redirect(`/changes/${record.id}`)
  })
}

const columns: readonly Column<SiteRow>[] = [
  {
    name: 'site',
    value: (row) => row.name,
    show: (row) => (
      <To path="/ground" query={{ site: row.name, as: null }} className="mono">
        {row.name}
      </To>
    ),
  },
  { name: 'state', value: (row) => row.state, show: (row) => <StateText state={row.state} /> },
  { name: 'kind', value: (row) => row.kind },
  { name: 'what', value: (row) => row.title },
  { name: 'zones', value: (row) => row.zones },
  { name: 'machines', value: (row) => row.machines, number: true },
  { name: 'cores used', value: (row) => row.used, number: true },
  { name: 'cores in all', value: (row) => row.of, number: true },
]

function Fill({
  used,
  reserved,
  kept,
  of,
  label,
}: {
  readonly used: number
  readonly reserved: number
  readonly kept: number
  readonly of: number
  readonly label: string
}) {
  const part = (value: number): string => `${of === 0 ? 0 : Math.min(100, (100 * value) / of)}%`
  return (
    <div className="fill" role="img" aria-label={label} title={label}>
      <span className="fill-used" style={{ width: part(used) }} />
      <span className="fill-reserved" style={{ width: part(reserved) }} />
      <span className="fill-kept" style={{ width: part(kept) }} />
    </div>
  )
}

type Zone = ReturnType<typeof roomOf>[number]

function ZoneRoom({ zone, site }: { readonly zone: Zone; readonly site: SiteView }) {
  return (
    <div className="zone">
      <h3 className="mono">{zone.zone}</h3>
      {zone.cores > 0 ? (
        <>
          <Fill
            used={zone.used}
            reserved={zone.taken}
            kept={zone.reserve}
            of={zone.cores}
            label={`${zone.zone}: ${zone.used} of ${zone.cores} cores used, ${zone.taken} reserved by runs, ${zone.reserve} kept for failover, ${zone.free} free`}
          />
          <p className="soft">
            {numberText(zone.used)} used{zone.taken ? `, ${zone.taken} reserved` : ''},{' '}
            {numberText(zone.reserve)} kept for failover, <b>{numberText(zone.free)} cores free</b>{' '}
            of {numberText(zone.cores)}
          </p>
          <ul className="hosts">
            {zone.hosts.slice(0, 12).map((host) => (
              <li key={host.name}>
                <To
                  path="/ground"
                  query={{ site: site.name, host: host.name }}
                  className="mono"
                  title={`What if ${host.name} dies?`}
                >
                  {host.name}
                </To>
                <Fill
                  used={host.used}
                  reserved={0}
                  kept={0}
                  of={host.cores}
                  label={`${host.name}: ${host.used} of ${host.cores} cores, ${bytesText(host.usedMemory)} of ${bytesText(host.memoryBytes)}; ${host.machines.map((machine) => machine.name).join(', ') || 'empty'}`}
                />
                <span className="soft nowrap">
                  {host.used} of {host.cores}
                </span>
              </li>
            ))}
          </ul>
          {zone.hosts.length > 12 ? (
            <p className="soft">and {countText(zone.hosts.length - 12, 'host')} more</p>
          ) : null}
        </>
      ) : (
        <p className="soft">
          {countText(zone.machines, 'machine')}, {zone.used} vCPU
          {zone.taken ? `, ${zone.taken} reserved` : ''}. Sizes:{' '}
          {listText(
            site.sizes
              .filter((size) => size.zones.includes(zone.zone))
              .map(
                (size) => `${size.name}${size.soldOut.includes(zone.zone) ? ' (none left)' : ''}`,
              ),
          ) || 'none'}
        </p>
      )}
    </div>
  )
}

export default function Ground({ loaderData }: Route.ComponentProps) {
  const {
    site,
    sites,
    releases,
    room,
    clusters,
    reason,
    now,
    loss,
    asked,
    found,
    left,
    credentials,
  } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const asTable = search.get('as') === 'table'
  useKey(
    't',
    () =>
      void navigate(address('/ground', { site: search.get('site'), as: asTable ? null : 'table' })),
  )
  return (
    <Page
      title="Ground"
      beside={
        <>
          <Form method="get" role="search" style={{ display: 'flex' }}>
            {['site', 'aim'].map((name) =>
              search.has(name) ? (
                <input key={name} type="hidden" name={name} value={search.get(name) ?? ''} />
              ) : null,
            )}
            <input
              data-find
              name="address"
              defaultValue={asked}
              aria-label="Who holds an address"
              placeholder="Who holds 10.20.40.41 ( / )"
              className="journal-search"
            />
          </Form>
          <DraftChange
            kind="site.add"
            intent={{
              name: '',
              kind: 'hall',
              domain: site?.domain ?? 'fernhollow',
              nameDomain: site?.nameDomain ?? '',
              zones: [],
              networks: [],
            }}
            variant="outlined"
          >
            Add a site
          </DraftChange>
          <To
            path="/ground/addresses"
            query={{ domain: site?.domain ?? null }}
            className="quiet-button"
            style={{ textDecoration: 'none' }}
          >
            all addresses
          </To>
          <To
            path="/ground"
            query={{ site: search.get('site'), as: asTable ? null : 'table' }}
            className="quiet-button"
            style={{ textDecoration: 'none' }}
          >
            {asTable ? 'drawing' : 'table'} <kbd aria-hidden>t</kbd>
          </To>
        </>
      }
      reason={
        <>
          {found ? <Holders asked={asked} found={found} /> : null}
          {loss ? <Loss loss={loss} /> : null}
          {reason ? (
            <Reason
              reason={{
                ...reason,
                actions: reason.actions.filter((action) => !action.path.startsWith('/ground')),
              }}
              now={now}
            />
          ) : (
            <p>No site is known.</p>
          )}
        </>
      }
    >
      {asTable || !site ? (
        <Table
          name="sites"
          columns={columns}
          rows={sites}
          id={(row) => row.name}
          selected={site?.name ?? null}
          empty="No site is known yet."
        />
      ) : (
        <div className="ground">
          <nav className="sites" aria-label="Sites">
            {sites.map((row) => (
              <To
                key={row.name}
                path="/ground"
                query={{ site: row.name }}
                aria-current={row.name === site.name ? 'page' : undefined}
              >
                <span className="want-name">
                  <StateGlyph state={row.state} title={row.state} />{' '}
                  <span className="mono">{row.name}</span>
                </span>
                <span className="soft">
                  {row.kind} · {numberText(row.used)} of {numberText(row.of)}{' '}
                  {row.kind === 'cloud' ? 'vCPU' : 'cores'}
                </span>
                <Fill
                  used={row.used}
                  reserved={0}
                  kept={0}
                  of={row.of}
                  label={`${row.used} of ${row.of} cores used`}
                />
              </To>
            ))}
          </nav>
          <div className="scroll" tabIndex={0} role="region" aria-label={site.name}>
            <h2>
              {site.title} <span className="soft mono">{site.name}</span>
              {site.kind === 'hall' ? (
                <To
                  path="/ground/packing"
                  query={{ site: site.name }}
                  className="quiet-button"
                  style={{ textDecoration: 'none', marginLeft: 12, fontSize: 12 }}
                >
                  host packing
                </To>
              ) : null}
            </h2>
            {site.quotaCores === null ? null : (
              <div style={{ margin: '10px 0', maxWidth: 420 }}>
                <Fill
                  used={usedOf(site)}
                  reserved={0}
                  kept={0}
                  of={site.quotaCores}
                  label={`quota: ${usedOf(site)} of ${site.quotaCores} vCPU`}
                />
                <p className="soft">
                  {usedOf(site)} of {site.quotaCores} vCPU of the quota in use
                </p>
              </div>
            )}
            <div className="zones">
              {room.map((zone) => (
                <ZoneRoom key={zone.zone} zone={zone} site={site} />
              ))}
            </div>
            <Orphans site={site} left={left} />
            {site.kind === 'edge' ? <BoxTable site={site} /> : null}
            <Services site={site} />
            <Routes site={site} />
            <Images site={site} releases={releases} />
            {site.kind !== 'edge' && site.boxes.length > 0 ? <BoxTable site={site} /> : null}
            <Credentials site={site} credentials={credentials} now={now} />
            <h2 style={{ marginTop: 18 }}>Networks</h2>
            {site.networks.map((network) => (
              <div key={network.name} className="network">
                <p>
                  <b>{network.name}</b>{' '}
                  <DraftChange
                    kind="site.network"
                    intent={{
                      site: site.name,
                      network: network.name,
                      ...(network.dhcp === undefined ? {} : { dhcp: network.dhcp }),
                      ...(network.pool === undefined ? {} : { pool: network.pool }),
                    }}
                    variant="text"
                  >
                    Edit
                  </DraftChange>{' '}
                  <span className="mono">{network.range}</span>{' '}
                  <span className="soft">
                    {[
                      network.vlan === undefined ? '' : `VLAN ${network.vlan}`,
                      network.gateway === undefined ? 'no gateway' : `gateway ${network.gateway}`,
                      network.mtu === undefined ? '' : `MTU ${network.mtu}`,
                    ]
                      .filter((part) => part !== '')
                      .join(', ')}
                  </span>
                </p>
                <AddressStrip
                  label={network.name}
                  range={network.range}
                  height={18}
                  holders={[
                    ...(network.dhcp === undefined
                      ? []
                      : [{ name: 'DHCP', range: network.dhcp, inner: true }]),
                    ...(network.pool === undefined
                      ? []
                      : [{ name: 'virtual addresses', range: network.pool, inner: true }]),
                    ...site.addresses
                      .filter((held) => held.network === network.name)
                      .slice(0, 24)
                      .map((held) => ({ name: held.for, range: held.address })),
                  ]}
                />
              </div>
            ))}
            <SiteActs site={site} />
            {clusters.length > 0 ? (
              <>
                <h2 style={{ marginTop: 18 }}>Ranges of its clusters</h2>
                <div className="network">
                  <AddressStrip
                    label={`cluster ranges of ${site.name}`}
                    range={stripAround(
                      clusters.flatMap((cluster) => [cluster.pods, cluster.services]),
                      12,
                    )}
                    height={18}
                    holders={clusters.flatMap((cluster) => [
                      { name: `${cluster.name} pods`, range: cluster.pods },
                      { name: `${cluster.name} services`, range: cluster.services },
                    ])}
                  />
                </div>
              </>
            ) : null}
          </div>
        </div>
      )}
    </Page>
  )
}

function BoxTable({ site }: { readonly site: SiteView }) {
  return (
    <section aria-label="Machines that stand there" style={{ marginTop: 16 }}>
      <h2>{site.boxes.length === 1 ? 'The box' : 'Machines that stand there'}</h2>
      {site.boxes.map((box) => (
        <details key={box.name} className="box" open={site.boxes.length === 1}>
          <summary>
            <b className="mono">{box.name}</b>{' '}
            <span className="soft">
              {box.zone}, {box.cores} cores, {bytesText(box.memoryBytes)}, {box.arch},{' '}
              {box.prepared ? 'runs' : 'waits to be installed'},{' '}
              {box.usedBy === null ? 'free' : `used by ${box.usedBy}`}
            </span>
          </summary>
          <table className="grid" aria-label={box.name}>
            <tbody>
              {box.disks.map((disk) => (
                <tr key={disk.identifier}>
                  <td className="mono">{disk.identifier.split('/').pop()}</td>
                  <td>
                    {numberText(disk.sizeGb)} GB, shows as {disk.shownAs} today
                  </td>
                  <td>
                    {disk.removable ? 'removable, ' : ''}
                    {disk.holds ?? 'blank'}
                  </td>
                </tr>
              ))}
              {box.cards.map((card) => (
                <tr key={card.name}>
                  <td className="mono">{card.name}</td>
                  <td className="mono">{card.mac}</td>
                  <td>
                    {[card.network, card.address].filter((part) => part !== null).join(', ') ||
                      'no address'}
                    {card.sharedWith > 0 ? `, an address ${card.sharedWith} others hold too` : ''}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      ))}
    </section>
  )
}

/** Who holds an address, the closest first. */
function Holders({
  asked,
  found,
}: {
  readonly asked: string
  readonly found: ReturnType<typeof whoHolds>
}) {
  return (
    <section aria-label="Holders" role="status">
      <h2>
        <span className="mono" data-copy={found.address ?? asked}>
          {found.address ?? asked}
        </span>
      </h2>
      {found.says === null ? null : <p>{found.says}</p>}
      <ul className="facts" style={{ marginTop: 6 }}>
        {found.holders.map((holder) => (
          <li key={`${holder.domain}${holder.range}${holder.says}`}>
            <span>
              <RefLink about={holder.about}>{holder.says}</RefLink>
            </span>
            <span className="source">
              <span className="mono">{holder.range}</span>
              <br />
              {holder.domain}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** The base images a site holds, and the way to bring another. */
function Images({
  site,
  releases,
}: {
  readonly site: SiteView
  readonly releases: readonly string[]
}) {
  return (
    <section aria-label="Base images" style={{ marginTop: 16 }}>
      <h2>Base images</h2>
      <p className="mono" style={{ margin: '5px 0 8px', overflowWrap: 'anywhere' }}>
        {site.images.map((image) => image.release).join('  ') || 'none'}
      </p>
      {site.kind === 'cloud' || releases.length === 0 ? null : (
        <Form method="post" className="acts">
          <input type="hidden" name="site" value={site.name} />
          <select
            name="release"
            aria-label="Release"
            className="journal-search"
            style={{ width: 110 }}
          >
            {releases.map((release) => (
              <option key={release}>{release}</option>
            ))}
          </select>
          <Button type="submit" variant="outlined">
            Draft putting it in place
          </Button>
        </Form>
      )}
    </section>
  )
}
