/** What a cluster's pod and service ranges hold. */
import { type AddressResult, bitsOf, formatAddress } from './address'
import { type Cidr, sizeOf } from './range'

export interface ClusterRanges {
  readonly perNodePrefix: number
  readonly maxNodes: bigint
  readonly services: bigint
  readonly apiAddress: string | null
  readonly dnsAddress: string | null
}

/** The smallest block that holds twice the pods of a node: 110 → /24 (IPv4), /120 (IPv6). */
export function perNodePrefix(family: 4 | 6, maxPodsPerNode: number): number {
  let hostBits = 0
  while (2 ** hostBits < 2 * maxPodsPerNode) hostBits++
  return bitsOf(family) - hostBits
}

/**
 * Node limit and service count of a cluster, with the addresses that the API service and DNS take
 * (network + 1 and + 10, null where the range is too small). IPv4 loses network and broadcast address, IPv6 the first.
 * A pod range smaller than one node's block is an error.
 */
export function clusterRanges(
  pods: Cidr,
  maxPodsPerNode: number,
  services: Cidr,
): AddressResult<ClusterRanges> {
  const prefix = perNodePrefix(pods.family, maxPodsPerNode)
  if (prefix < pods.prefix) {
    return {
      ok: false,
      says: `A node with ${maxPodsPerNode} pods takes a /${Math.max(prefix, 0)}, which is larger than the pod range (/${pods.prefix}). Widen the range or lower the pods per node.`,
      suggest: null,
    }
  }
  const held = services.family === 4 ? 2n : 1n
  const usable = sizeOf(services) > held ? sizeOf(services) - held : 0n
  const at = (offset: bigint): string | null =>
    offset <= usable
      ? formatAddress({ family: services.family, value: services.first + offset })
      : null
  return {
    ok: true,
    value: {
      perNodePrefix: prefix,
      maxNodes: 1n << BigInt(prefix - pods.prefix),
      services: usable,
      apiAddress: at(1n),
      dnsAddress: at(10n),
    },
  }
}
