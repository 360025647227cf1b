/** The disk store of a hall’s zone. */
import type { Site } from '../world'

/** Gigabytes a zone’s disk store can hold (two copies) and holds. */
export function store(
  site: Pick<Site, 'hosts' | 'disks'>,
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
