/**
 * What would let a dropped packet through, each change as narrow as it can be and proven by walking again in the changed
 * world: one source address (for a keep-source range one destination), one destination, one protocol, one port.
 */
import jsonPatch from 'fast-json-patch'
import { type Address, bitsOf, formatAddress } from '../addresses'
import { readObjects } from '../objects'
import { selecting } from './policy'
import { type ReadySite, type ReadyWorld } from './prepared'
import { prepareWorld } from './prepare'
import { walk } from './walk'
import { type WalkQuery } from './hops'
import { type Walk } from './hops'
import { type Hop } from './hops'
import type { WalkWorld } from './world'

export const remedyKinds = [
  'keep-source',
  'keep-translation',
  'policy-peer',
  'allow-in',
  'allow-out',
  'route',
  'rule-off',
] as const

export type RemedyKind = (typeof remedyKinds)[number]

export interface PatchStep {
  readonly op: 'add' | 'replace' | 'remove'
  readonly path: string
  readonly value?: unknown
}

export interface WalkRemedy {
  readonly kind: RemedyKind
  readonly says: string
  /** JSON Patch (RFC 6902) on the world. */
  readonly patch: readonly PatchStep[]
}

interface Candidate extends WalkRemedy {
  /** How much it admits that was not admitted before: pods a policy selects, packets a rule that goes off decided. */
  readonly admits: number
}

const single = (address: Address): string => `${formatAddress(address)}/${bitsOf(address.family)}`
const isAddress = (at: Address | string): at is Address => typeof at !== 'string'

/** Adds an item to a list of the world that may not be there yet. */
function append(
  path: string,
  list: readonly unknown[] | null | undefined,
  value: unknown,
): PatchStep {
  return list ? { op: 'add', path: `${path}/-`, value } : { op: 'add', path, value: [value] }
}

function freshName(base: string, taken: readonly { readonly name: string }[]): string {
  let name = base
  for (let i = 2; taken.some((candidate) => candidate.name === name); i++) name = `${base} ${i}`
  return name
}

const lastOf = (walked: Walk): Hop | undefined => walked.hops.at(-1)
const hopOf = (walked: Walk, hop: Hop['hop']): Hop | undefined =>
  walked.hops.find((candidate) => candidate.hop === hop)

function keepSource(walked: Walk): readonly Candidate[] {
  const hidden = hopOf(walked, 'masquerade')
  const { cluster } = walked.from
  if (
    !hidden?.after ||
    !cluster ||
    !isAddress(hidden.before.destination) ||
    hidden.after.source === hidden.before.source
  )
    return []
  const range = single(hidden.before.destination)
  return [
    {
      kind: 'keep-source',
      says: `Let ${cluster.name} keep its pods’ addresses towards ${range}`,
      patch: [append(`/clusters/${cluster.index}/keepSource`, cluster.given.keepSource, range)],
      admits: 1,
    },
  ]
}

function keepTranslation(walked: Walk, query: WalkQuery): readonly Candidate[] {
  const hop = hopOf(walked, 'translation')
  const { site } = walked.from
  if (
    !hop?.after ||
    !site ||
    !isAddress(hop.before.destination) ||
    hop.after.source === hop.before.source
  )
    return []
  const deciding = site.given.translations.findIndex((rule) => rule.name === hop.by)
  const before = site.given.translations[deciding]
  if (!before) return []
  const [from, to] = [single(hop.before.source), single(hop.before.destination)]
  const rule = {
    name: freshName(`keep ${from} to ${to}`, site.given.translations),
    priority: before.priority,
    kind: 'keep',
    from: [from],
    to: [to],
    protocol: query.protocol.toLowerCase(),
  }
  return [
    {
      kind: 'keep-translation',
      says: `Let ${site.name} keep ${from} as it is towards ${to}`,
      patch: [{ op: 'add', path: `/sites/${site.index}/translations/${deciding}`, value: rule }],
      admits: 1,
    },
  ]
}

function policyPeer(walked: Walk, query: WalkQuery): readonly Candidate[] {
  const hop = lastOf(walked)
  if (!hop || (hop.hop !== 'policy-out' && hop.hop !== 'policy-in')) return []
  const out = hop.hop === 'policy-out'
  const cluster = out ? walked.from.cluster : walked.to?.cluster
  const pod = out ? walked.from.pod : walked.to?.pod
  if (!cluster || !pod) return []
  const { located } = readObjects(cluster.given.objects)
  const judged = out
    ? walked.judged && { address: walked.judged.destination, port: walked.judged.port }
    : { address: hop.before.source, port: hop.before.port }
  if (!judged) return []
  const peer = { ipBlock: { cidr: single(judged.address) } }
  const rule = {
    [out ? 'to' : 'from']: [peer],
    ports: [{ protocol: query.protocol, port: judged.port }],
  }
  return selecting(cluster.policies, pod)[out ? 'egress' : 'ingress'].map((policy): Candidate => {
    const field = out ? 'egress' : 'ingress'
    const object = located.find((candidate) => candidate.pointer === policy.pointer)?.object as
      | {
          spec?: { egress?: readonly unknown[] | null; ingress?: readonly unknown[] | null } | null
        }
      | undefined
    const admits = [...cluster.policies.pods.values()].filter((end) => policy.selects(end)).length
    const own = `/clusters/${cluster.index}/objects${policy.pointer}/spec`
    return {
      kind: 'policy-peer',
      says: `Let ${policy.key} of ${cluster.name} ${out ? 'out to' : 'in from'} ${peer.ipBlock.cidr} on ${judged.port}/${query.protocol}`,
      patch: [append(`${own}/${field}`, object?.spec?.[field], rule)],
      admits,
    }
  })
}

function firewall(walked: Walk, query: WalkQuery, world: ReadyWorld): readonly Candidate[] {
  const hop = lastOf(walked)
  if (
    !hop ||
    (hop.hop !== 'firewall-in' && hop.hop !== 'firewall-out') ||
    !isAddress(hop.before.destination)
  )
    return []
  const direction = hop.hop === 'firewall-in' ? 'in' : 'out'
  const site: ReadySite | null =
    direction === 'out' ? walked.from.site : firewallSite(walked, world)
  if (!site) return []
  const rules = site.given.firewall
  const deciding = rules.findIndex((rule) => rule.name === hop.by && rule.direction === direction)
  const before = rules[deciding]
  const last = rules.reduce(
    (max, rule) => (rule.direction === direction ? Math.max(max, rule.priority) : max),
    0,
  )
  const [from, to] = [single(hop.before.source), single(hop.before.destination)]
  const { port } = hop.before
  const rule = {
    name: freshName(
      `allow ${formatAddress(hop.before.source)} to ${formatAddress(hop.before.destination)}:${port}`,
      rules,
    ),
    priority: before?.priority ?? last + 1,
    direction,
    action: 'allow',
    from: [from],
    to: [to],
    protocol: query.protocol.toLowerCase(),
    ports: [String(port)],
  }
  const allow: Candidate = {
    kind: direction === 'in' ? 'allow-in' : 'allow-out',
    says: `Let ${site.name} allow ${from} to ${to} on ${port}/${query.protocol} on the way ${direction}`,
    patch: [
      { op: 'add', path: `/sites/${site.index}/firewall/${before ? deciding : '-'}`, value: rule },
    ],
    admits: 1,
  }
  const off: readonly Candidate[] = before
    ? [
        {
          kind: 'rule-off',
          says: `Switch ${before.name} of ${site.name} off`,
          patch: [
            { op: 'add', path: `/sites/${site.index}/firewall/${deciding}/enabled`, value: false },
          ],
          admits: 2,
        },
      ]
    : []
  return [allow, ...off]
}

/** The site whose firewall stopped it on the way in: the walk ended before the place was known. */
function firewallSite(walked: Walk, world: ReadyWorld): ReadySite | null {
  return walked.entering === null ? null : (world.sites.get(walked.entering) ?? null)
}

function route(walked: Walk): readonly Candidate[] {
  const hop = lastOf(walked)
  if (!hop || (hop.hop !== 'route' && hop.hop !== 'way-back')) return []
  const back = hop.hop === 'way-back'
  const place = back ? walked.to : walked.from
  const to = back ? hop.before.source : hop.before.destination
  if (!place?.site || place.network === null || !isAddress(to) || (back && walked.peer)) return []
  const { site, network } = place
  const via =
    site.given.routes.find((candidate) => candidate.network === network)?.via ??
    site.given.routes[0]?.via ??
    'gateway'
  return [
    {
      kind: 'route',
      says: `Give ${network} of ${site.name} a route to ${single(to)}`,
      patch: [
        {
          op: 'add',
          path: `/sites/${site.index}/routes/-`,
          value: { network, to: single(to), via },
        },
      ],
      admits: 1,
    },
  ]
}

/** The world with a patch applied; what the patch does not touch is shared with the one before. */
export function patchedWorld(world: WalkWorld, patch: readonly PatchStep[]): WalkWorld {
  // Only the parts a patch names are copied: a world may hold a hundred thousand objects.
  const copy: { -readonly [K in keyof WalkWorld]: WalkWorld[K] } = {
    ...world,
    clusters: [...world.clusters],
    sites: [...world.sites],
    peers: [...world.peers],
  }
  for (const { path } of patch) {
    const [, part, at] = path.split('/')
    const i = Number(at)
    if (part === 'sites' && copy.sites[i]) copy.sites[i] = structuredClone(copy.sites[i])
    else if (part === 'clusters' && copy.clusters[i]) {
      const cluster = copy.clusters[i]
      const object = /^\/clusters\/\d+\/objects\/(\d+)/.exec(path)?.[1]
      const objects =
        object === undefined
          ? cluster.objects
          : cluster.objects.map((eachObject, j) =>
              j === Number(object) ? structuredClone(eachObject) : eachObject,
            )
      copy.clusters[i] = {
        ...cluster,
        objects,
        ...(cluster.keepSource ? { keepSource: [...cluster.keepSource] } : {}),
      }
    }
  }
  return jsonPatch.applyPatch(copy, patch as never, false, true).newDocument
}

/** Remedies for a dropped packet, proven, in the order of their kinds; none for one that is delivered. */
export function walkRemedies(
  world: ReadyWorld,
  query: WalkQuery,
  walked: Walk,
  nth = 0,
): readonly WalkRemedy[] {
  if (walked.delivered) return []
  const candidates = [
    ...keepSource(walked),
    ...keepTranslation(walked, query),
    ...policyPeer(walked, query),
    ...firewall(walked, query, world),
    ...route(walked),
  ]
  const proven = candidates.filter(({ patch }) => {
    const changed = prepareWorld(patchedWorld(world.given, patch))
    if (!changed.ok) return false
    const again = walk(changed.world, query, nth)
    return again.ok && again.walk.delivered
  })
  return proven
    .sort(
      (a, b) => remedyKinds.indexOf(a.kind) - remedyKinds.indexOf(b.kind) || a.admits - b.admits,
    )
    .map(({ kind, says, patch }) => ({ kind, says, patch }))
}
