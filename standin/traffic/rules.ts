/** Routes, firewall rules and translations of a site: whether one leads on, and which of the others decides. */
import type { FirewallRule, Site, Translation } from '../world'
import type { Packet } from './packet'
import { anyCovers, covers } from './ranges'

const portsCover = (ports: readonly string[] | undefined, port: number): boolean =>
  ports === undefined ||
  ports.some((candidate) => {
    const [first = '', last = first] = candidate.split('-')
    return port >= Number(first) && port <= Number(last)
  })

export function firstRule(
  site: Site,
  way: 'in' | 'out',
  packet: Packet,
  members: readonly string[],
): FirewallRule | undefined {
  const rules = (site.firewall ?? [])
    .map((rule, place) => ({ rule, place }))
    .filter(({ rule }) => rule.direction === way && rule.enabled !== false)
  rules.sort((a, b) => a.rule.priority - b.rule.priority || a.place - b.place)
  return rules.find(
    ({ rule }) =>
      anyCovers(rule.from, packet.source) &&
      anyCovers(rule.to, packet.destination) &&
      (rule.protocol === 'any' || rule.protocol.toUpperCase() === packet.protocol) &&
      portsCover(rule.ports, packet.port) &&
      (rule.members === undefined || members.some((member) => anyCovers(rule.members, member))),
  )?.rule
}

export function firstTranslation(site: Site, packet: Packet): Translation | undefined {
  const rules = (site.translations ?? []).map((rule, place) => ({ rule, place }))
  rules.sort((a, b) => a.rule.priority - b.rule.priority || a.place - b.place)
  return rules.find(
    ({ rule }) =>
      anyCovers(rule.from, packet.source) &&
      anyCovers(rule.to, packet.destination) &&
      (rule.protocol === undefined ||
        rule.protocol === 'any' ||
        rule.protocol.toUpperCase() === packet.protocol),
  )?.rule
}

export function hasRoute(site: Site, network: string | undefined, to: string): boolean {
  return (
    network !== undefined &&
    site.routes.some((route) => route.network === network && covers(route.to, to))
  )
}
