/** How full the zones of a site are. */

import { To } from '../../parts/to'
import { numberText, bytesText, countText, listText } from '../../../core/units'
import type { SiteView } from '../../../core/fleet'
import { useTurn } from '../../kit/turn'

export function Fill({
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
  useTurn()
  const part = (value: number): string => `${of === 0 ? 0 : Math.min(100, (100 * value) / of)}%`
  return (
    <div className="fill" role="img" aria-label={label} title={label}>
      <span className="fill-used" style={{ width: part(used) }} />
      <span className="fill-reserved" style={{ width: part(reserved) }} />
      <span className="fill-kept" style={{ width: part(kept) }} />
    </div>
  )
}

export type Zone = ReturnType<typeof roomOf>[number]
export function ZoneRoom({ zone, site }: { readonly zone: Zone; readonly site: SiteView }) {
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

/** Cores used, reserved for failover and by runs, and free, in each zone and on each host. */
export function roomOf(
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

export const coresOf = (site: SiteView): number =>
  site.quotaCores ?? site.hosts.reduce((sum, host) => sum + host.cores, 0) * site.overcommit
export const usedOf = (site: SiteView): number =>
  site.machines.reduce((sum, machine) => sum + machine.cores, 0)
