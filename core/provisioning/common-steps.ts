/** Steps that every raise has, whatever it stands on: register, held addresses, the API, add-ons and proof. */
import { command, type Command, type Deferred } from '../contract'
import { clusterRanges, formatAddress, parseCidr } from '../addresses'
import type { Step, StepId } from '../changes'
import type { Graph } from './machine-steps'
import { controlPlanePool, controlPlaneTaints, type Planned } from './planned'
import { askRetry, estimates, step } from './steps'
import { countText } from '../units'

export function registerStep(planned: Planned, endpoint: string | null): Step {
  const { intent, release } = planned
  const args = {
    name: intent.name,
    site: intent.site,
    guarded: intent.guarded,
    labels: intent.labels,
    release: release?.version ?? intent.release,
    controlPlane: intent.controlPlane,
    pools: [
      ...(intent.controlPlane.kind === 'own'
        ? [
            {
              name: controlPlanePool,
              size:
                planned.machines.find((m) => m.role === 'control-plane')?.size ??
                planned.intent.machines[0]?.machine ??
                '',
              lifetime: 'on-demand' as const,
              range: null,
              taints: controlPlaneTaints(planned),
            },
          ]
        : []),
      ...intent.pools.map((pool) => ({
        name: pool.name,
        size: pool.size,
        lifetime: pool.lifetime,
        range: pool.range ?? null,
        taints: pool.taints,
      })),
    ],
    pods: intent.ranges.pods,
    services: intent.ranges.services,
    maxPodsPerNode: intent.ranges.maxPodsPerNode,
    endpoint,
  }
  return step({
    id: 'register',
    after: [],
    group: 'register',
    says: `enter ${intent.name} and its ranges in the register`,
    command: command('cluster.enter', args),
    undo: command('cluster.strike', { name: intent.name }),
    seconds: estimates.ledger,
  })
}

/** Addresses of the API service and of DNS inside the cluster. */
function serviceAddresses(planned: Planned): { readonly api: string; readonly dns: string } {
  const { pods, services, maxPodsPerNode } = planned.intent.ranges
  const podRange = parseCidr(pods)
  const serviceRange = parseCidr(services)
  const holds =
    podRange.ok && serviceRange.ok
      ? clusterRanges(podRange.value, maxPodsPerNode, serviceRange.value)
      : null
  if (holds?.ok) return { api: holds.value.apiAddress ?? '', dns: holds.value.dnsAddress ?? '' }
  const first = serviceRange.ok
    ? formatAddress({ family: serviceRange.value.family, value: serviceRange.value.first + 1n })
    : ''
  return { api: first, dns: first }
}

export function apiStep(
  graph: Graph,
  planned: Planned,
  after: readonly StepId[],
  machine: string | null,
  endpoint: Deferred<string>,
): void {
  const { intent, release } = planned
  const inside = serviceAddresses(planned)
  graph.steps.push(
    step({
      id: 'api',
      after,
      group: 'API',
      says: 'start the control plane, API answers',
      command: command('api.start', {
        cluster: intent.name,
        site: intent.site,
        release: release?.version ?? '',
        machine,
        managed: intent.controlPlane.kind === 'managed',
        endpoint,
        pods: intent.ranges.pods,
        services: intent.ranges.services,
        apiAddress: inside.api,
        dnsAddress: inside.dns,
        maxPodsPerNode: intent.ranges.maxPodsPerNode,
      }),
      undo: command('api.stop', { cluster: intent.name }),
      seconds: estimates.startApi,
      retry: askRetry,
    }),
  )
}

/** Everything after the nodes have joined. */
export function closingSteps(
  graph: Graph,
  planned: Planned,
  joined: readonly StepId[],
  pools: readonly string[],
): void {
  const { intent } = planned
  const cluster = intent.name
  const add = (
    id: string,
    after: readonly StepId[],
    group: string,
    says: string,
    command: Command,
    seconds: Step['seconds'],
  ): void => {
    graph.steps.push(
      step({
        id,
        after,
        group,
        says,
        command: command,
        seconds,
        retry: askRetry,
      }),
    )
  }
  add(
    'add-ons',
    joined,
    'add-ons',
    'DNS, ingress, policy webhook, metrics, log shipping',
    command('addons.place', { cluster }),
    estimates.addOns,
  )
  add(
    'tidy',
    ['add-ons'],
    'add-ons',
    'revoke join tokens',
    command('tokens.revoke', { cluster }),
    estimates.revokeTokens,
  )
  add(
    'dns',
    ['add-ons'],
    'proof',
    'ask the cluster’s DNS',
    command('dns.ask', { cluster }),
    estimates.askDns,
  )
  if (intent.storageClass)
    add(
      'storage',
      ['add-ons'],
      'add-ons',
      `make ${intent.storageClass} the storage class`,
      command('class.default', {
        cluster,
        name: intent.storageClass,
        zones:
          planned.site?.storageClasses.find((candidate) => candidate.name === intent.storageClass)
            ?.zones ?? [],
      }),
      estimates.ledger,
    )
  for (const pool of pools)
    add(
      `try:${pool}`,
      ['add-ons'],
      'proof',
      `run a pod on ${pool}`,
      command('pod.try', { cluster, pool }),
      estimates.tryPod,
    )
}

export function holdStep(
  planned: Planned,
  addresses: readonly { address: string; network: string; for: string }[],
): Step {
  const { intent } = planned
  return step({
    id: 'addresses',
    after: ['register'],
    group: 'network',
    says: `hold ${addresses.length === 1 ? (addresses[0]?.address ?? '') : `${countText(addresses.length, 'address', 'addresses')} from ${addresses[0]?.address ?? ''}`}`,
    command: command('address.hold', { site: intent.site, cluster: intent.name, addresses }),
    undo: command('address.release', {
      site: intent.site,
      addresses: addresses.map((held) => held.address),
    }),
    seconds: estimates.holdAddresses,
  })
}
