/** Everything on the way from outside to a pod and back, as it is set up now: what it is, how full, and who made it. */
import { clusterRanges, parseCidr } from '../addresses'
import { type ClusterView, type FleetView, nodesOf, siteOf } from '../fleet'
import { countText, listText } from '../units'
import { networkHolding } from '../wire'
import { frontage, poolFill } from './pool'

/** A command of a run that was carried out. */
export interface DoneCommand {
  /** `c-12` */
  readonly change: string
  readonly label: string
  /** What asked for the run where no person did. */
  readonly title: string | null
  readonly verb: string
  readonly args: Readonly<Record<string, unknown>>
}

export interface Wired {
  readonly what:
    | 'network'
    | 'virtual address'
    | 'load balancer'
    | 'address'
    | 'lease'
    | 'pod range'
    | 'service range'
    | 'route'
    | 'firewall rule'
    | 'translation'
    | 'kept source'
    | 'name record'
    | 'egress'
  readonly name: string
  readonly value: string
  /** What it is for, or serves. */
  readonly says: string
  readonly fill: { readonly used: number; readonly size: number } | null
  readonly maker: string
  /** The run that made it, where one did. */
  readonly change: string | null
}

const isRecord = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null
const records = (value: unknown): readonly Readonly<Record<string, unknown>>[] =>
  Array.isArray(value) ? value.filter(isRecord) : []

/** The run that last did something, or who else it was. */
function maker(
  done: readonly DoneCommand[],
  else_: string,
  ...tests: readonly ((command: DoneCommand) => boolean)[]
): Pick<Wired, 'maker' | 'change'> {
  const found = [...done].reverse().find((command) => tests.some((test) => test(command)))
  return found
    ? {
        maker: `${found.label}${found.title === null ? '' : `, by ${found.title}`}`,
        change: found.change,
      }
    : { maker: else_, change: null }
}

const named =
  (verb: string, list: string, name: string) =>
  (command: DoneCommand): boolean =>
    command.verb === verb && records(command.args[list]).some((one) => one['name'] === name)

export function wiredObjects(
  view: FleetView,
  cluster: ClusterView,
  done: readonly DoneCommand[],
): readonly Wired[] {
  const site = siteOf(view, cluster.site)
  if (!site) return []
  const platform = `${site.name} itself`
  const mine = [...done]
  const rows: Wired[] = []
  const nodes = nodesOf(cluster)
  const used = new Map<string, number>()
  for (const node of nodes) {
    const network = networkHolding(site, node.address)
    if (network !== null) used.set(network, (used.get(network) ?? 0) + 1)
  }
  const front = frontage(site)
  for (const network of site.networks) {
    const isFront = network === front
    const count = used.get(network.name) ?? 0
    const held = site.addresses.filter(
      (address) => address.cluster === cluster.name && address.network === network.name,
    ).length
    if (count === 0 && held === 0 && !isFront) continue
    const fill = isFront ? poolFill(site) : null
    const block = parseCidr(network.range)
    let fillShown: { used: number; size: number } | null
    if (fill) fillShown = { used: fill.used, size: fill.size }
    else if (block.ok)
      fillShown = {
        used: site.addresses.filter((address) => address.network === network.name).length,
        size: Number(block.value.last - block.value.first) - 1,
      }
    else fillShown = null
    rows.push({
      what: 'network',
      name: network.name,
      value: network.range,
      says: [
        isFront ? `virtual addresses ${network.pool ?? network.range}` : '',
        count > 0 ? countText(count, 'node') : '',
        held > 0 ? `${countText(held, 'address', 'addresses')} held` : '',
        network.mtu === undefined ? '' : `MTU ${network.mtu}`,
      ]
        .filter((one) => one !== '')
        .join(', '),
      fill: fillShown,
      ...maker(
        mine,
        platform,
        (command) =>
          command.verb === 'network.set' &&
          isRecord(command.args['network']) &&
          command.args['network']['name'] === network.name,
        (command) => command.verb === 'site.add' && command.args['name'] === site.name,
      ),
    })
  }
  for (const address of site.addresses.filter(
    (one) => one.cluster === cluster.name && one.how !== 'dhcp',
  )) {
    const holds = (command: DoneCommand): boolean =>
      command.verb === 'address.hold' &&
      records(command.args['addresses']).some((one) => one['address'] === address.address)
    rows.push({
      what: address.how === 'virtual' ? 'virtual address' : 'address',
      name: address.for,
      value: address.address,
      says: address.network,
      fill: null,
      ...maker(mine, platform, holds),
    })
  }
  const leases = site.addresses.filter((one) => one.cluster === cluster.name && one.how === 'dhcp')
  if (leases.length > 0)
    rows.push({
      what: 'lease',
      name: countText(leases.length, 'node address', 'node addresses'),
      value: listText(
        leases.map((one) => one.address),
        1,
      ),
      says: `given by DHCP of ${listText([...new Set(leases.map((one) => one.network))], 2)}`,
      fill: null,
      maker: `DHCP of ${site.name}`,
      change: null,
    })
  for (const balancer of site.balancers.filter((one) => one.cluster === cluster.name)) {
    const ports = [balancer.port, ...(balancer.ports ?? [])]
    rows.push({
      what: 'load balancer',
      name: balancer.name,
      value: `${balancer.address}:${ports.join(',')}`,
      says: `${balancer.service}, pool of ${countText(nodes.length, 'node')}`,
      fill: null,
      ...(balancer.made === true
        ? { maker: 'the load balancer, for a service', change: null }
        : maker(
            mine,
            platform,
            (command) =>
              command.verb === 'balancer.create' && command.args['name'] === balancer.name,
          )),
    })
  }
  const [pods, services] = [parseCidr(cluster.pods), parseCidr(cluster.services)]
  const registered = (command: DoneCommand): boolean =>
    (command.verb === 'register' ||
      command.verb === 'cluster.register' ||
      command.verb === 'api.start') &&
    (command.args['cluster'] === cluster.name || command.args['name'] === cluster.name)
  if (pods.ok && services.ok) {
    const read = clusterRanges(pods.value, cluster.maxPodsPerNode, services.value)
    const listed = (view.objects?.[cluster.name] ?? []).filter(
      (object) => object.kind === 'Service',
    ).length
    if (read.ok) {
      rows.push({
        what: 'pod range',
        name: `${cluster.name} pods`,
        value: cluster.pods,
        says: `a /${read.value.perNodePrefix} for each node`,
        fill: { used: nodes.length, size: Number(read.value.maxNodes) },
        ...maker(mine, 'entered with the cluster', registered),
      })
      rows.push({
        what: 'service range',
        name: `${cluster.name} services`,
        value: cluster.services,
        says: `API ${read.value.apiAddress ?? 'nowhere'}, names ${read.value.dnsAddress ?? 'nowhere'}`,
        fill: { used: listed, size: Number(read.value.services) },
        ...maker(mine, 'entered with the cluster', registered),
      })
    }
  }
  const networks = new Set([
    ...used.keys(),
    ...(front && site.balancers.some((one) => one.cluster === cluster.name) ? [front.name] : []),
  ])
  for (const route of site.routes.filter((one) => networks.has(one.network)))
    rows.push({
      what: 'route',
      name: route.network,
      value: route.to,
      says: `by ${route.via}`,
      fill: null,
      ...maker(
        mine,
        platform,
        (command) =>
          command.verb === 'route.add' &&
          command.args['network'] === route.network &&
          command.args['to'] === route.to,
      ),
    })
  for (const rule of site.firewall ?? [])
    rows.push({
      what: 'firewall rule',
      name: rule.name,
      value: `${rule.action} ${rule.direction}`,
      says:
        [
          rule.from ? `from ${listText(rule.from, 2)}` : '',
          rule.to ? `to ${listText(rule.to, 2)}` : '',
          rule.ports ? `ports ${listText(rule.ports, 4)}` : '',
          rule.enabled === false ? 'off' : '',
        ]
          .filter((one) => one !== '')
          .join(', ') || 'everything',
      fill: null,
      ...maker(mine, platform, named('firewall.set', 'rules', rule.name)),
    })
  for (const rule of site.translations ?? [])
    rows.push({
      what: 'translation',
      name: rule.name,
      value: rule.kind === 'keep' ? 'keep' : `becomes ${rule.becomes ?? ''}`,
      says: [
        rule.from ? `from ${listText(rule.from, 2)}` : 'from anybody',
        rule.to ? `to ${listText(rule.to, 2)}` : 'to anywhere',
      ].join(', '),
      fill: null,
      ...maker(mine, platform, named('translations.set', 'translations', rule.name)),
    })
  if (site.egress !== undefined)
    rows.push({
      what: 'egress',
      name: site.name,
      value: site.egress,
      says: 'what leaves by the uplink, translated',
      fill: null,
      maker: platform,
      change: null,
    })
  for (const range of cluster.keepSource ?? [])
    rows.push({
      what: 'kept source',
      name: cluster.name,
      value: range,
      says: 'pods keep their own addresses towards it',
      fill: null,
      ...maker(
        mine,
        'entered with the cluster',
        (command) =>
          command.verb === 'keepsource.set' &&
          command.args['cluster'] === cluster.name &&
          Array.isArray(command.args['ranges']) &&
          (command.args['ranges'] as unknown[]).includes(range),
      ),
    })
  const addresses = new Set([
    ...site.balancers.filter((one) => one.cluster === cluster.name).map((one) => one.address),
    ...site.addresses.filter((one) => one.cluster === cluster.name).map((one) => one.address),
  ])
  for (const record of site.records.filter(
    (one) => addresses.has(one.value) || one.name === `api.${cluster.name}`,
  ))
    rows.push({
      what: 'name record',
      name: `${record.name}.${site.nameDomain}`,
      value: record.value,
      says: record.type,
      fill: null,
      ...maker(mine, platform, named('records.set', 'records', record.name)),
    })
  return rows
}
