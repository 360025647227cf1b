/** Whether what a reference names is there, as far as a picture of the fleet tells. */
import type { Ref } from '../contract'
import { clusterOf, type FleetView, nodesOf, siteOf } from './view'

/** Undefined where the picture does not tell of such things. */
export function stands(view: FleetView, about: Ref): boolean | undefined {
  const [kind = '', place = '', ...rest] = about.split('/')
  const name = rest.join('/')
  const site = siteOf(view, place)
  const cluster = clusterOf(view, place)
  switch (kind) {
    case 'site':
      return site !== undefined
    case 'cluster':
      return cluster !== undefined
    case 'node':
      return cluster !== undefined && nodesOf(cluster).some((node) => node.name === name)
    case 'pool':
      return cluster?.pools.some((pool) => pool.name === name) === true
    case 'backup':
      return cluster?.backups.some((backup) => backup.id === name) === true
    case 'machine':
      return site?.machines.some((machine) => machine.name === name) === true
    case 'disk':
      return site?.disks.some((disk) => disk.name === name) === true
    case 'address':
      return site?.addresses.some((held) => held.address === name) === true
    case 'balancer':
      return site?.balancers.some((balancer) => balancer.name === name) === true
    case 'network':
      return site?.networks.some((network) => network.name === name) === true
    case 'image':
      return site?.images.some((image) => image.release === name) === true
    case 'box':
      return site?.boxes.some((box) => box.name === name) === true
    case 'control-plane':
      return site?.controlPlanes.some((plane) => plane.cluster === name) === true
    case 'boot-data':
      return site?.published.some((file) => file.name === name) === true
    default:
      return undefined
  }
}
