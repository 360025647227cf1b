/** What no cluster owns: removed, or given to one. */

import { onSite } from './ground'
import { said } from './says'

export const orphanRemove = onSite<'orphan.remove'>(15, (_sim, site, op) => {
  const items = op.args.items.map((item) => `${String(item['kind'])}/${String(item['name'])}`)
  const has = (kind: string, name: string): boolean => items.includes(`${kind}/${name}`)
  const before =
    site.machines.length + site.disks.length + site.addresses.length + site.balancers.length
  site.machines = site.machines.filter((machine) => !has('machine', machine.name))
  site.disks = site.disks.filter(
    (disk) => !has('disk', disk.name) && !(disk.machine !== null && has('machine', disk.machine)),
  )
  site.addresses = site.addresses.filter((address) => !has('address', address.address))
  site.balancers = site.balancers.filter((balancer) => !has('balancer', balancer.name))
  return said('things-removed', {
    before:
      before -
      site.machines.length -
      site.disks.length -
      site.addresses.length -
      site.balancers.length,
  })
})

export const orphanAdopt = onSite<'orphan.adopt'>(5, (_sim, site, op) => {
  const cluster = op.args.cluster
  const name = op.args.name
  site.disks = site.disks.map((disk) =>
    op.args.kind === 'disk' && disk.name === name ? { ...disk, cluster } : disk,
  )
  site.addresses = site.addresses.map((address) =>
    op.args.kind === 'address' && address.address === name ? { ...address, cluster } : address,
  )
  site.balancers = site.balancers.map((balancer) =>
    op.args.kind === 'balancer' && balancer.name === name ? { ...balancer, cluster } : balancer,
  )
  return said('belongs-now', { name, cluster })
})
