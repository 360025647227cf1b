/** What can reach what, at the size of a large site: walks a second after one preparation, and the review of a long firewall. */
import {
  firewallRuleSchema,
  prepareWorld,
  reviewFirewall,
  walk,
  type FirewallRule,
  walkWorldSchema,
  type WalkWorld,
} from '../core/wire'
import { seeded } from '../core/units'
import type { Figure } from './figure'

const ip = (base: number, n: number): string => {
  const value = base + n
  return [value >>> 24, (value >>> 16) & 255, (value >>> 8) & 255, value & 255].join('.')
}
const base = (a: number, b: number): number => a * 2 ** 24 + b * 2 ** 16

type Pick = (count: number) => number

const podOf = (i: number, nodes: number) => ({
  kind: 'Pod',
  metadata: {
    namespace: `ns-${i % 20}`,
    name: `p-${i}`,
    labels: { app: `a${i % 60}`, tier: `t${i % 3}` },
  },
  spec: {
    nodeName: `n-${i % nodes}`,
    containers: [{ name: 'c', ports: [{ name: 'web', containerPort: 8080 }] }],
  },
  status: {
    phase: 'Running',
    podIP: ip(base(10, 124), i + 1),
    hostIP: ip(base(10, 44), (i % nodes) + 10),
  },
})

/** Whom a policy lets by: a team’s namespaces, an app’s pods, a range of addresses. */
function peerOf(i: number, pick: Pick): unknown {
  if (i % 3 === 0) return { namespaceSelector: { matchLabels: { team: `t${pick(5)}` } } }
  if (i % 3 === 1) return { podSelector: { matchLabels: { app: `a${pick(60)}` } } }
  return { ipBlock: { cidr: `10.124.${pick(20)}.0/24` } }
}

function policyOf(i: number, pick: Pick): unknown {
  const peer = peerOf(i, pick)
  return {
    kind: 'NetworkPolicy',
    metadata: { namespace: `ns-${i % 20}`, name: `np-${i}` },
    spec: {
      podSelector: { matchLabels: { tier: `t${pick(3)}` } },
      ...(i % 2 === 0
        ? { ingress: [{ from: [peer], ports: [{ port: 8080 }] }] }
        : { egress: [{ to: [peer] }, { to: [{ ipBlock: { cidr: '10.0.0.0/8' } }] }] }),
    },
  }
}

const ruleOf = (i: number, pick: Pick): FirewallRule =>
  firewallRuleSchema.parse({
    name: `r-${i}`,
    priority: pick(1000),
    direction: i % 2 === 0 ? 'out' : 'in',
    action: i % 3 === 0 ? 'deny' : 'allow',
    from: [`10.44.${pick(2)}.${pick(8) * 32}/27`],
    to: [`10.52.${pick(8)}.0/24`],
    ports: [String(1 + pick(9000))],
    protocol: 'tcp',
  })

/** The site of the cluster, and a neighbour that it has a way to. */
const sitesWith = (firewall: readonly FirewallRule[]): readonly unknown[] => [
  {
    name: 'east',
    domain: 'd',
    networks: [{ name: 'east', range: '10.44.0.0/20' }],
    routes: [{ network: 'east', to: '0.0.0.0/0' }],
    firewall,
    translations: [
      { name: 'keep', priority: 1, kind: 'keep', to: ['10.0.0.0/8'] },
      { name: 'up', priority: 2, kind: 'translate', becomes: '172.31.250.3' },
    ],
    fronts: [],
    records: [],
  },
  {
    name: 'north',
    domain: 'd',
    networks: [{ name: 'north', range: '10.52.0.0/20' }],
    routes: [{ network: 'north', to: '10.44.0.0/20' }],
    firewall,
    translations: [],
    fronts: [],
    records: [],
  },
]

/** One cluster of as many nodes and pods, policies over them, and a firewall before a neighbouring site. */
export function largeWorld(
  nodes: number,
  pods: number,
  policies: number,
  rules: number,
): WalkWorld {
  const random = seeded(11)
  const pick: Pick = (count) => Math.floor(random() * count)
  const objects: readonly unknown[] = [
    ...Array.from({ length: 20 }, (_, i) => ({
      kind: 'Namespace',
      metadata: { name: `ns-${i}`, labels: { team: `t${i % 5}` } },
    })),
    ...Array.from({ length: pods }, (_, i) => podOf(i, nodes)),
    ...Array.from({ length: policies }, (_, i) => policyOf(i, pick)),
  ]
  const firewall = Array.from({ length: rules }, (_, i) => ruleOf(i, pick))
  return walkWorldSchema.parse({
    clusters: [
      {
        name: 'bramble',
        site: 'east',
        podRange: '10.124.0.0/16',
        serviceRange: '10.125.0.0/20',
        dnsDomain: 'cluster.local',
        nodes: Array.from({ length: nodes }, (_, i) => ({
          name: `n-${i}`,
          address: ip(base(10, 44), i + 10),
          network: 'east',
        })),
        objects,
      },
    ],
    sites: sitesWith(firewall),
    peers: [],
  })
}

/** Rules with prefixes of 8 to 32 bits, in /16 neighbourhoods so that each meets a limited number of others. */
export function longFirewall(count: number): readonly FirewallRule[] {
  const random = seeded(3)
  const pick = (n: number): number => Math.floor(random() * n)
  const block = (i: number): string => {
    // A few wide ones, in corners of their own; the rest within the /13 of their group of forty.
    if (i % 400 === 0) return `${60 + i / 400}.0.0.0/8`
    const prefix = 14 + pick(19)
    const group = Math.floor(i / 40)
    const value = (base(20 + Math.floor(group / 32), (group % 32) * 8) + pick(2 ** 19)) >>> 0
    const size = 2 ** (32 - prefix)
    return `${ip(0, Math.floor(value / size) * size)}/${prefix}`
  }
  return Array.from({ length: count }, (_, i) => {
    let protocol: 'any' | 'tcp' | 'udp'
    if (i % 4 === 0) protocol = 'any'
    else if (i % 2 === 0) protocol = 'tcp'
    else protocol = 'udp'
    return firewallRuleSchema.parse({
      name: `r-${i}`,
      priority: pick(500),
      direction: 'in',
      action: i % 3 === 0 ? 'deny' : 'allow',
      from: [block(i)],
      to: [block(i)],
      protocol,
      ports: i % 5 === 0 ? ['0-65535'] : [`${pick(1000)}-${1000 + pick(8000)}`],
    })
  })
}

/** Walks between pods, and from pods to the ranges of the site, drawn by a counter. */
export function walkFigures(): readonly Figure[] {
  const given = largeWorld(200, 5000, 500, 1000)
  const from = performance.now()
  const read = prepareWorld(given)
  if (!read.ok) throw new Error(read.says)
  const prepared = performance.now() - from
  const random = seeded(5)
  const pod = (): { pod: string; cluster: string } => {
    const i = Math.floor(random() * 5000)
    return { pod: `ns-${i % 20}/p-${i}`, cluster: 'bramble' }
  }
  let delivered = 0
  const walks = 40_000
  const start = performance.now()
  for (let i = 0; i < walks; i++) {
    const to = i % 2 === 0 ? pod() : { address: `10.52.${i % 8}.${(i * 7) % 250}` }
    const walkRead = walk(read.world, {
      from: pod(),
      to,
      port: i % 3 === 0 ? 8080 : 1 + (i % 9000),
      protocol: 'TCP',
    })
    if (walkRead.ok && walkRead.walk.delivered) delivered++
  }
  const seconds = (performance.now() - start) / 1000
  return [
    {
      name: 'walks among 200 nodes, 5,000 pods, 500 policies, 1,000 rules',
      value: walks / seconds,
      unit: '/s',
      aim: { atLeast: 20_000 },
      detail: `${Math.round((100 * delivered) / walks)} % delivered`,
    },
    {
      name: 'their world prepared',
      value: prepared,
      unit: 'ms',
      aim: { atMost: 1000 },
    },
  ]
}

/** The fastest of three: one run alone is at the mercy of when the engine compiles it, and of what else runs. */
export function reviewFigures(): readonly Figure[] {
  const rules = longFirewall(2000)
  const seconds = Array.from({ length: 3 }, () => {
    const began = performance.now()
    const review = reviewFirewall(rules)
    if (!review.ok) throw new Error(review.says)
    return (performance.now() - began) / 1000
  })
  return [
    {
      name: 'review of 2,000 firewall rules',
      value: Math.min(...seconds),
      unit: 's',
      aim: { atMost: 2 },
    },
  ]
}
