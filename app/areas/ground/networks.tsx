/** The networks of a site and the ranges of its clusters, each to scale with what holds addresses in it. */
import type { ClusterView, SiteView } from '~/core/fleet'
import { AddressStrip, stripAround } from '../../drawings/address-strip'
import { DraftChange } from '../../parts/draft-change'

type NetworkView = SiteView['networks'][number]

/** So many single addresses are drawn in a network. */
const mostHeld = 24

const factsOf = ({ vlan, gateway, mtu }: NetworkView): string =>
  [
    vlan === undefined ? '' : `VLAN ${vlan}`,
    gateway === undefined ? 'no gateway' : `gateway ${gateway}`,
    mtu === undefined ? '' : `MTU ${mtu}`,
  ]
    .filter((fact) => fact !== '')
    .join(', ')

function Network({ site, network }: { readonly site: SiteView; readonly network: NetworkView }) {
  const { name, range, dhcp, pool } = network
  const held = site.addresses
    .filter((address) => address.network === name)
    .slice(0, mostHeld)
    .map((address) => ({ name: address.for, range: address.address }))
  return (
    <div className="network">
      <p>
        <b>{name}</b>{' '}
        <DraftChange
          kind="site.network"
          intent={{
            site: site.name,
            network: name,
            ...(dhcp === undefined ? {} : { dhcp }),
            ...(pool === undefined ? {} : { pool }),
          }}
          variant="text"
        >
          Edit
        </DraftChange>{' '}
        <span className="mono">{range}</span> <span className="soft">{factsOf(network)}</span>
      </p>
      <AddressStrip
        label={name}
        range={range}
        height={18}
        holders={[
          ...(dhcp === undefined ? [] : [{ name: 'DHCP', range: dhcp, inner: true }]),
          ...(pool === undefined ? [] : [{ name: 'virtual addresses', range: pool, inner: true }]),
          ...held,
        ]}
      />
    </div>
  )
}

export function Networks({ site }: { readonly site: SiteView }) {
  return (
    <>
      <h2 style={{ marginTop: 18 }}>Networks</h2>
      {site.networks.map((network) => (
        <Network key={network.name} site={site} network={network} />
      ))}
    </>
  )
}

export function ClusterRanges({
  site,
  clusters,
}: {
  readonly site: SiteView
  readonly clusters: readonly Pick<ClusterView, 'name' | 'pods' | 'services'>[]
}) {
  if (clusters.length === 0) return null
  const ranges = clusters.flatMap((cluster) => [cluster.pods, cluster.services])
  return (
    <>
      <h2 style={{ marginTop: 18 }}>Ranges of its clusters</h2>
      <div className="network">
        <AddressStrip
          label={`cluster ranges of ${site.name}`}
          range={stripAround(ranges, 12)}
          height={18}
          holders={clusters.flatMap((cluster) => [
            { name: `${cluster.name} pods`, range: cluster.pods },
            { name: `${cluster.name} services`, range: cluster.services },
          ])}
        />
      </div>
    </>
  )
}
