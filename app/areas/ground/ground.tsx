/** The ground: sites with their zones, hosts, room and networks. */
import { z } from 'zod'
import { redirect, useNavigate, useSearchParams } from 'react-router'
import {
  leftovers,
  siteState,
  type SiteView,
  type State,
  stateContext,
  whoHolds,
} from '~/core/fleet'
import { hostLoss } from '~/core/sizing'
import { listText, numberText } from '~/core/units'
import { breath } from '~/server/breath'
import { askedForm, field } from '../asked'
import { gyrarchContext } from '../../context'
import { useKey } from '../../frame/keys'
import { DraftChange } from '../../parts/draft-change'
import { Page } from '../../frame/page'
import { Reason } from '../../parts/reason'
import { StateGlyph, StateText } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { reasonFor } from '../reason-data'
import { orRefused } from '../refusals'
import { fleetAsked } from '../moment'
import type { Route } from './+types/ground'
import { Loss } from './loss'
import { ClusterRanges, Networks } from './networks'
import { Credentials, Orphans, Routes, SiteActs } from './parts'
import { Services } from './services'
import './ground.css'
import { coresOf, Fill, roomOf, usedOf, ZoneRoom } from './zones'
import { BoxTable, Holders } from './tables'
import { Images } from './tables'
import { AskForm } from '../../kit/ask-form'
import { Field } from '../../kit/field'

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

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const search = new URL(request.url).searchParams
  const aim = search.get('aim') ?? ''
  const wanted =
    search.get('site') ??
    (aim.startsWith('site/')
      ? aim.slice(5)
      : view.clusters.find((cluster) => `cluster/${cluster.name}` === aim)?.site)
  const site = view.sites.find((site) => site.name === wanted) ?? view.sites[0] ?? null
  const state = stateContext(view)
  await breath()
  const room = site
    ? roomOf(
        site,
        view.reservations.filter((taken) => taken.site === site.name && taken.kind === 'machine'),
      )
    : []
  await breath()
  const left = site ? leftovers(site, view.clusters) : []
  await breath()
  const sites = view.sites.map((otherSite): SiteRow => ({
    name: otherSite.name,
    title: otherSite.title,
    kind: otherSite.kind,
    state: siteState(otherSite, view.clusters, state).state,
    zones: listText(otherSite.zones),
    machines: otherSite.machines.length,
    used: usedOf(otherSite),
    of: coresOf(otherSite),
  }))
  await breath()
  return {
    now: view.now,
    site,
    aim: site && search.has('site') ? `site/${site.name}` : null,
    room,
    left,
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
    holding: search.get('address')?.trim() ? whoHolds(view, search.get('address') ?? '') : null,
    sites,
  }
}

const placing = z.object({ site: field(), release: field() })

export async function action({ request, context }: Route.ActionArgs) {
  const { changes } = context.get(gyrarchContext)
  return orRefused(async () => {
    const record = await changes.draft('image.place', await askedForm(request, placing))
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

type Data = Route.ComponentProps['loaderData']

/** The way to each site, with how full it is. */
function SiteList({ sites, here }: { readonly sites: readonly SiteRow[]; readonly here: string }) {
  return (
    <nav className="sites" aria-label="Sites">
      {sites.map((row) => (
        <To
          key={row.name}
          path="/ground"
          query={{ site: row.name }}
          aria-current={row.name === here ? 'page' : undefined}
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
  )
}

function Quota({ site }: { readonly site: SiteView }) {
  if (site.quotaCores === null) return null
  const used = usedOf(site)
  return (
    <div style={{ margin: '10px 0', maxWidth: 420 }}>
      <Fill
        used={used}
        reserved={0}
        kept={0}
        of={site.quotaCores}
        label={`quota: ${used} of ${site.quotaCores} vCPU`}
      />
      <p className="soft">
        {used} of {site.quotaCores} vCPU of the quota in use
      </p>
    </div>
  )
}

function Site({ site, data }: { readonly site: SiteView; readonly data: Data }) {
  const { room, left, releases, credentials, clusters, now } = data
  return (
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
      <Quota site={site} />
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
      <Networks site={site} />
      <SiteActs site={site} />
      <ClusterRanges site={site} clusters={clusters} />
    </div>
  )
}

/** The form that asks who holds an address, and the ways to other drawings of the ground. */
function Beside({ data, asTable }: { readonly data: Data; readonly asTable: boolean }) {
  const { site, asked } = data
  const [search] = useSearchParams()
  return (
    <>
      <AskForm label="Who holds an address" asks={['address']}>
        <Field
          key={asked}
          isFind
          name="address"
          label="Who holds an address"
          hideLabel
          defaultValue={asked}
          placeholder="Who holds 10.20.40.41 ( / )"
          width={220}
        />
      </AskForm>
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
      >
        all addresses
      </To>
      <To
        path="/ground"
        query={{ site: search.get('site'), as: asTable ? null : 'table' }}
        className="quiet-button"
      >
        {asTable ? 'drawing' : 'table'} <kbd aria-hidden>t</kbd>
      </To>
    </>
  )
}

export default function Ground({ loaderData }: Route.ComponentProps) {
  const { site, sites, reason, now, loss, asked, holding } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const asTable = search.get('as') === 'table'
  useKey(
    't',
    () =>
      void navigate(address('/ground', { site: search.get('site'), as: asTable ? null : 'table' })),
  )
  // The page itself is no step to take on it.
  const actions = reason?.actions.filter((action) => !action.path.startsWith('/ground')) ?? []
  return (
    <Page
      title="Ground"
      beside={<Beside data={loaderData} asTable={asTable} />}
      reason={
        <>
          {holding ? <Holders asked={asked} holding={holding} /> : null}
          {loss ? <Loss loss={loss} /> : null}
          {reason ? <Reason reason={{ ...reason, actions }} now={now} /> : <p>No site is known.</p>}
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
          <SiteList sites={sites} here={site.name} />
          <Site site={site} data={loaderData} />
        </div>
      )}
    </Page>
  )
}
