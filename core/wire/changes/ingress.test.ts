import { expect, it } from 'vitest'
import { bareSite, type FleetView } from '../../fleet'
import { bareCluster, bareFleet } from '../../testing/bare'
import { ingressAddress } from './ingress'

const balancer = (name: string, cluster: string, service: string, address: string) => ({
  name,
  address,
  port: 443,
  cluster,
  service,
})

const view = (balancers: readonly ReturnType<typeof balancer>[]): FleetView =>
  bareFleet({ sites: [{ ...bareSite('mossgate', 'hall', 'fernhollow'), balancers }] })

it('the ingress of a cluster that is not known has no address', () =>
  expect(
    ingressAddress(view([balancer('b', 'cedar', 'platform/ingress', '10.20.40.9')]), 'cedar'),
  ).toBeNull())

it('the address is that of the balancer before the cluster’s own ingress, no other', () => {
  const given = view([
    balancer('desk', 'cedar', 'market/desk', '10.20.40.8'),
    balancer('theirs', 'birch', 'platform/ingress', '10.20.40.7'),
    balancer('ours', 'cedar', 'platform/ingress', '10.20.40.9'),
  ])
  const [site] = given.sites
  const existing = { ...given, clusters: [bareCluster('cedar', site?.name ?? '')] }
  expect(ingressAddress(existing, 'cedar')).toBe('10.20.40.9')
})
