/** What a site serves its machines: addresses, time, names, boot data; and where they reach Gyrarch. */
import type { SiteView } from '~/core/fleet'
import { bytesText, countText, listText } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'

interface ServiceRow {
  readonly what: string
  readonly says: string
  readonly good: boolean
  readonly act?: React.ReactNode
}

const dhcpRows = (site: SiteView): readonly ServiceRow[] =>
  site.networks
    .filter((network) => network.dhcpAnswers === false)
    .map((network) => ({
      what: `DHCP of ${network.name}`,
      says: 'does not answer',
      good: false,
      act: (
        <DraftChange
          kind="site.service"
          intent={{ site: site.name, service: 'dhcp', network: network.name }}
        >
          Restart
        </DraftChange>
      ),
    }))

/** Networks whose machines are handed a name server that does not answer. */
function handedNameRows(site: SiteView): readonly ServiceRow[] {
  const answering = site.nameServers.filter((server) => server.answers)
  const own = answering[0]?.address
  return site.networks
    .filter(
      ({ nameServer }) =>
        nameServer !== undefined && !answering.some((server) => server.address === nameServer),
    )
    .map((network) => ({
      what: `names on ${network.name}`,
      says: `hands out ${network.nameServer ?? ''}, where nothing answers`,
      good: false,
      act:
        own === undefined ? undefined : (
          <DraftChange
            kind="site.network"
            intent={{ site: site.name, network: network.name, nameServer: own }}
          >
            Hand out {own}
          </DraftChange>
        ),
    }))
}

function timeRows(site: SiteView): readonly ServiceRow[] {
  const silent = site.timeServers.filter((server) => !server.answers).map(({ name }) => name)
  const answering = site.timeServers.filter((server) => server.answers).map(({ name }) => name)
  const rows: ServiceRow[] = []
  if (silent.length > 0)
    rows.push({
      what: 'time',
      says: `${listText(silent, 2)} ${silent.length === 1 ? 'does' : 'do'} not answer`,
      good: false,
      act: (
        <DraftChange kind="site.service" intent={{ site: site.name, service: 'time' }}>
          Restart
        </DraftChange>
      ),
    })
  if (answering.length > 0) rows.push({ what: 'time', says: listText(answering, 3), good: true })
  return rows
}

const nameRows = (site: SiteView): readonly ServiceRow[] =>
  site.nameServers.map((server) => ({
    what: 'names',
    says: `${server.address}${server.answers ? '' : ' does not answer'}, ${countText(site.records.length, 'record')} of ${site.nameDomain}`,
    good: server.answers,
  }))

/** Where machines reach Gyrarch: it matters where machines stand that join by a script. */
const contactRow = (site: SiteView): ServiceRow => ({
  what: 'Gyrarch',
  says: site.gyrarchAt ?? 'nobody has said where machines reach it',
  good: site.gyrarchAt !== undefined || !site.boxes.some((box) => box.prepared === true),
  act: (
    <DraftChange
      kind="site.contact"
      intent={{ site: site.name, address: site.gyrarchAt ?? 'http://' }}
    >
      {site.gyrarchAt === undefined ? 'Say where' : 'Change'}
    </DraftChange>
  ),
})

function bootDataRow(site: SiteView): ServiceRow {
  const { limitBytes, base64 } = site.bootData
  const published =
    site.published.length > 0
      ? `; ${countText(site.published.length, 'file')} on the boot server`
      : ''
  const says =
    limitBytes === null
      ? 'takes any size'
      : `takes up to ${bytesText(limitBytes)}${base64 ? ', as base64' : ''}${published}`
  return { what: 'boot data', says, good: true }
}

function storeRows(site: SiteView): readonly ServiceRow[] {
  if (site.storageClasses.length === 0) return []
  const says = site.storageClasses
    .map(({ name, zones }) =>
      zones.length < site.zones.length ? `${name} (only ${listText(zones)})` : name,
    )
    .join(', ')
  return [{ what: 'storage classes', says, good: true }]
}

const balancerRows = (site: SiteView): readonly ServiceRow[] =>
  site.quotaBalancers === null
    ? []
    : [
        {
          what: 'load balancers',
          says: `${site.balancers.length} of ${site.quotaBalancers} in use`,
          good: site.balancers.length < site.quotaBalancers,
        },
      ]

export function Services({ site }: { readonly site: SiteView }) {
  const rows = [
    ...dhcpRows(site),
    ...handedNameRows(site),
    ...timeRows(site),
    ...nameRows(site),
    contactRow(site),
    bootDataRow(site),
    ...storeRows(site),
    ...balancerRows(site),
  ]
  return (
    <section aria-label="Services" style={{ marginTop: 18 }}>
      <h2>Services</h2>
      <ul className="site-lines">
        {rows.map((row) => (
          <li key={`${row.what}${row.says}`}>
            <span>
              <StateGlyph
                state={row.good ? 'well' : 'broken'}
                title={row.good ? 'well' : 'broken'}
              />{' '}
              {row.what}
            </span>
            <span className="soft">{row.says}</span>
            <span>{row.act}</span>
          </li>
        ))}
      </ul>
      {site.nameServers.length > 0 ? (
        <p>
          <To path="/ground/names" query={{ site: site.name }}>
            Name records
          </To>
        </p>
      ) : null}
    </section>
  )
}
