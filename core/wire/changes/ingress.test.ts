import { expect, it } from 'vitest'
import { bareSite, type FleetView } from '../../fleet'
import { ingressAddress } from './ingress'

const balancer = (name: string, cluster: string, service: string, address: string) => ({
  name,
  address,
  port: 443,
  cluster,
  service,
})

const view = (balancers: readonly ReturnType<typeof balancer>[]): FleetView => ({
  version: 1,
  now: '2026-03-02T06:00:00Z',
  sites: [{ ...bareSite('mossgate', 'hall', 'fernhollow'), balancers }],
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
  const cluster = { name: 'cedar', site: site?.name ?? '' }
  const known = { ...given, clusters: [{ ...bareCluster, ...cluster }] }
  expect(ingressAddress(known, 'cedar')).toBe('10.20.40.9')
})

const bareCluster: FleetView['clusters'][number] = {
  name: '',
  site: '',
  guarded: false,
  labels: {},
  release: '1.33.2',
  controlPlane: { kind: 'managed', tier: 'plain' },
  endpoint: '',
  apiAnswers: true,
  membersUp: 0,
  resting: false,
  restingSince: null,
  restingMachines: [],
  rest: null,
  autoscale: null,
  pods: '10.130.0.0/18',
  services: '10.131.0.0/20',
  maxPodsPerNode: 110,
  drives: [],
  pools: [],
  podCount: 0,
  namespaces: [],
  dnsAnswers: true,
  certificatesUntil: null,
  backups: [],
  observedAt: '2026-03-02T06:00:00Z',
}
