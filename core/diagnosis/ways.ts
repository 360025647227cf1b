/** What on its way drops what a node asks its API for, by the walk of a packet through the world that was given. */
import { parseAddress } from '../addresses'
import { type Json, record, text } from '../objects'
import { type ReadyWorld, walk, type WalkTo } from '../wire'
import type { Candidate } from './causes'
import { type Fact, refOfObject } from './facts'

/** Where a line says that something was asked for: an address or a name, and a port. */
function askedIn(line: string): { readonly to: WalkTo; readonly port: number } | null {
  const [, address, addressPort] = /dial tcp (\[?[0-9a-f.:]+\]?):(\d+)/i.exec(line) ?? []
  const [, name, namePort] = /https?:\/\/([0-9a-z.-]+):(\d+)/i.exec(line) ?? []
  const [host, port] = [address ?? name, Number(addressPort ?? namePort)]
  if (host === undefined || !(port > 0 && port < 65_536)) return null
  const bare = host.replace(/^\[|\]$/g, '')
  return { to: parseAddress(bare).ok ? { address: bare } : { name: bare }, port }
}

const deciderText = (by: string | readonly string[]): string =>
  typeof by === 'string' ? by : by.join(', ')

/** A candidate of an unreached API with what drops the packet, where the world knows. */
export function withWay(
  candidate: Candidate,
  node: Json,
  readWorld: () => ReadyWorld | null,
): Candidate {
  const world = candidate.cause === 'api-unreachable' ? readWorld() : null
  if (!world) return candidate
  const name = text(record(node['metadata'])['name'])
  const cluster = [...world.clusters.values()].find(({ nodes }) => nodes.has(name))
  if (!cluster) return candidate
  for (const { text: line } of candidate.facts) {
    const asked = askedIn(line)
    if (!asked) continue
    const walked = walk(world, {
      from: { node: name, cluster: cluster.name },
      to: asked.to,
      port: asked.port,
      protocol: 'TCP',
    })
    const last = walked.ok && !walked.walk.delivered ? walked.walk.hops.at(-1) : undefined
    if (!last) continue
    const { says } = last.tell()
    const fact: Fact = {
      type: 'walk',
      about: refOfObject(node),
      at: null,
      text: deciderText(last.by),
    }
    return {
      ...candidate,
      facts: [...candidate.facts, fact],
      chain: [{ about: refOfObject(node), says }, ...candidate.chain],
    }
  }
  return candidate
}
