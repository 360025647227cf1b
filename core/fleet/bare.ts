/** A fleet, and a site, before anything stands in it: what is added to begins here. */
import type { FleetView, SiteKind, SiteView } from './view'

export const bareFleet = (now: string): FleetView => ({
  version: 1,
  now,
  sites: [],
  clusters: [],
  ledger: [],
  catalogue: [],
  sshKeys: [],
  sshPublic: {},
  credentials: [],
  reservations: [],
  unheard: {},
  workedOn: [],
})

export const bareSite = (name: string, kind: SiteKind, domain: string): SiteView => ({
  name,
  title: name,
  kind,
  arch: 'x86-64',
  domain,
  connected: true,
  zones: [],
  overcommit: 1,
  reservePerZone: 0,
  quotaCores: null,
  quotaBalancers: null,
  quotaAddresses: null,
  networks: [],
  routes: [],
  nameServers: [],
  timeServers: [],
  nameDomain: '',
  records: [],
  storageClasses: [],
  bootData: { limitBytes: null, base64: false },
  published: [],
  balancers: [],
  sizes: [],
  images: [],
  hosts: [],
  boxes: [],
  machines: [],
  addresses: [],
  disks: [],
  managedTiers: [],
  controlPlanes: [],
  prices: { diskGbMonth: 0, kwh: 0, hostMonth: 0, spotShare: 1, balancerHour: 0 },
  observedAt: '',
})

/** The fleet with one site altered. */
export function withSite<View extends { readonly sites: readonly SiteView[] }>(
  view: View,
  name: string,
  change: (site: SiteView) => SiteView,
): View {
  return { ...view, sites: view.sites.map((site) => (site.name === name ? change(site) : site)) }
}

/** Gigabytes a hall zone’s disk store can hold, two copies of each, and holds. */
export function zoneStore(
  site: Pick<SiteView, 'hosts' | 'disks'>,
  zone: string,
): { readonly usableGb: number; readonly usedGb: number } {
  const usableGb =
    site.hosts.filter((host) => host.zone === zone).reduce((sum, host) => sum + host.diskGb, 0) / 2
  return {
    usableGb,
    usedGb: site.disks
      .filter((disk) => disk.zone === zone)
      .reduce((sum, disk) => sum + disk.sizeGb, 0),
  }
}
