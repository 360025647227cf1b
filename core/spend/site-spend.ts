/**
 * What a site costs as it stands, metered over its things. Nothing is rounded.
 * Clouds charge machines, control-plane tiers and disks by the hour; halls and edge boxes pay power
 * (idle + (full − idle) × cores of running machines ÷ (cores × overcommit)) and a write-off for each host.
 */
import type { MachineView, SiteView } from '../fleet/view'

/** Hours in a month, for monthly prices. */
export const monthHours = 730

export interface SiteSpend {
  readonly machines: number
  readonly controlPlanes: number
  readonly disks: number
  readonly balancers: number
  readonly power: number
  readonly writeOff: number
  /** The sum; all in units per month of 730 hours. */
  readonly perMonth: number
}

/** Units an hour that this machine adds: its price, or the power it draws on its host. */
export function machineHourly(
  site: SiteView,
  machine: Pick<MachineView, 'size' | 'cores' | 'lifetime' | 'zone' | 'host'>,
): number {
  const size = site.sizes.find((size) => size.name === machine.size)
  if (size && size.hourly !== null)
    return size.hourly * (machine.lifetime === 'spot' ? site.prices.spotShare : 1)
  const host =
    site.hosts.find((host) => host.name === machine.host) ??
    site.hosts.find((host) => host.zone === machine.zone)
  if (!host) return 0
  const watts = ((host.fullWatts - host.idleWatts) * machine.cores) / (host.cores * site.overcommit)
  return (watts / 1000) * site.prices.kwh
}

/** The monthly spend of a site. */
export function siteSpend(site: SiteView): SiteSpend {
  const machines = site.machines.reduce((sum, machine) => sum + machineHourly(site, machine), 0)
  const priced = site.hosts.length === 0
  const controlPlanes =
    site.controlPlanes.reduce(
      (sum, plane) =>
        sum + (site.managedTiers.find((tier) => tier.tier === plane.tier)?.hourly ?? 0),
      0,
    ) * monthHours
  const disks = priced
    ? site.disks.reduce((sum, disk) => sum + disk.sizeGb, 0) * site.prices.diskGbMonth
    : 0
  const idle = site.hosts.reduce((sum, host) => sum + (host.idleWatts / 1000) * site.prices.kwh, 0)
  const writeOff = site.hosts.length * site.prices.hostMonth
  const parts = {
    machines: priced ? machines * monthHours : 0,
    controlPlanes,
    disks,
    balancers: priced ? site.balancers.length * site.prices.balancerHour * monthHours : 0,
    power: priced ? 0 : (idle + machines) * monthHours,
    writeOff,
  }
  return {
    ...parts,
    perMonth:
      parts.machines +
      parts.controlPlanes +
      parts.disks +
      parts.balancers +
      parts.power +
      parts.writeOff,
  }
}
