/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'
import { listText, numberText, countText } from '../../units'

/** What a rule that covers another does to its packets, where that is not the same. */
function doing(opposite: boolean | string): string {
  if (opposite === true) return ', and does the opposite'
  return opposite === 'partly' ? ', partly doing the opposite' : ''
}

export const said = sentences({
  // wide
  'kept-everything': (p: { cluster: string; range: string; calls: readonly string[] }) =>
    `${p.range} is everything: pods of ${p.cluster} would show their own addresses to the whole outside, which has no way back to them.${p.calls.length === 0 ? '' : ` It touches ${countText(p.calls.length, 'call')}: ${listText(p.calls, 3)}.`}`,
  'calls-outside': (p: { calls: number }) => `${countText(p.calls, 'call')} to addresses outside`,
  'opens-everything': (p: {
    rule: string
    site: string
    networks: readonly string[]
    nodes: number
  }) =>
    `${p.rule} lets anybody in to every port of ${p.site}: ${listText(p.networks, 4)}, with ${countText(p.nodes, 'node')}.`,
  'networks-there': (p: { networks: number }) => countText(p.networks, 'network'),
  'catches-own': (p: { rule: string; networks: readonly string[]; becomes: string }) =>
    `${p.rule} catches what ${listText(p.networks, 3)} ${p.networks.length === 1 ? 'sends' : 'send'} to other sites of its own routing domain: it would arrive there as ${p.becomes}.`,
  'networks-near': (p: { networks: string }) => `other networks of the domain: ${p.networks}`,

  // shift
  'backend-crowded': (p: { backend: string; ready: number; before: number; after: number }) =>
    `${p.backend} has ${countText(p.ready, 'ready endpoint')}: each would take ${numberText(p.after, 1)} calls a second, where one takes ${numberText(p.before, 1)} now.`,
  'backend-failing': (p: { backend: string; percent: number }) =>
    `${numberText(p.percent, 1)} % of the calls to ${p.backend} fail as it is now.`,

  // written
  clusters: (p: { clusters: readonly string[] }) => `clusters: ${listText(p.clusters, 10)}`,

  // callers
  'calls-last-day': () => 'calls of the last day',
  'refused-calls-last': (p: {
    from: string
    serviceAccount: string
    service: string
    callsADay: number
  }) =>
    `${p.from} (${p.serviceAccount}) would be refused by ${p.service}: ${countText(p.callsADay, 'call')} in the last day.`,
  'namespace.known': (p: { cluster: string; namespace: string }) =>
    `${p.cluster} has no namespace ${p.namespace}.`,
  namespaces: (p: { namespaces: readonly string[] }) => `namespaces: ${listText(p.namespaces, 10)}`,
  'callers.nothing': () =>
    'No rule is written or removed and the namespace stays as it is: there is nothing to change.',
  'callers.known': (p: { namespace: string; remove: string }) =>
    `${p.namespace} has no caller rule ${p.remove}.`,
  'callers.service': (p: { namespace: string; service: string }) =>
    `${p.namespace} has no service ${p.service}.`,
  services: (p: { services: readonly string[] }) =>
    `services: ${listText(p.services, 8) || 'none'}`,
  'no-pod-runs': (p: { space: string; serviceAccount: string }) =>
    `No pod of ${p.space} runs as ${p.serviceAccount} now.`,
  'pods-looked': (p: { space: string }) => `pods of ${p.space} looked at`,

  // ingress
  'route.known.no-route': (p: { cluster: string; key: string }) =>
    `${p.cluster} has no route ${p.key}.`,
  'host.readable': (p: { host: string }) =>
    `“${p.host}” is no host name: small letters, digits, - and dots; a wild card stands alone as the first label.`,
  'service.port': (p: { service: string; port: number; ports: readonly string[] }) =>
    `${p.service} has no port ${p.port}; it has ${listText(p.ports)}.`,
  'host-taken': (p: { theirs: string; host: string; path: string }) =>
    `${p.theirs} takes ${p.host}${p.path} already: the older of the two goes on taking it.`,
  'ingress.address': (p: { cluster: string }) =>
    `The ingress of ${p.cluster} stands behind no virtual address: the host is reached at its nodes alone.`,
  'no-balancer-before': () => 'no balancer before platform/ingress',
  'record.missing.name-server-not': (p: {
    host: string
    record: string
    site: string
    address: string
  }) => `${p.host} is ${p.record} in the name server of ${p.site}, not ${p.address}.`,
  'record.missing.no-name-record': (p: { site: string; host: string }) =>
    `${p.site} has no name record for ${p.host}.`,
  records: (p: { recordsCount: number }) => countText(p.recordsCount, 'record'),

  // ways
  'world.readable': (p: { path: string; now: string }) => `${p.path}: ${p.now}`,
  'nodes-walked-their': (p: { waysCount: number }) =>
    `${countText(p.waysCount, 'node')} walked to their API`,
  'no-longer-reach': (p: { cutCount: number; name: string; hop: string; by: string }) =>
    `${countText(p.cutCount, 'node')} of ${p.name} would no longer reach ${p.name}-api (${p.hop}: ${p.by}): not ready within a minute.`,
  'reach-api-again': (p: { mendedCount: number; name: string }) =>
    `${countText(p.mendedCount, 'node')} of ${p.name} would reach ${p.name}-api again.`,
  'calls-last-day-walked': (p: { callsCount: number }) =>
    `${countText(p.callsCount, 'call')} of the last day walked before and after`,
  'end-calls-last': (p: { callText: string; hop: string; by: string; callsADay: number }) =>
    `${p.callText} would end at ${p.hop} (${p.by}): ${countText(p.callsADay, 'call')} in the last day.`,
  'get-through': (p: { won: readonly string[] }) => `${listText(p.won, 4)} would get through.`,
  'no-call-last': (p: { name: string }) => `No call of the last day in ${p.name} changes.`,
  'no-longer-hold': (p: { name: string; wanted: boolean; oneSays: string }) =>
    `“${p.name}” would no longer hold: it is to be ${p.wanted ? 'reached' : 'kept out'}. ${p.oneSays}`,
  'walk-ends': (p: { hop: string; byText: string }) => `${p.hop}: ${p.byText}`,

  // keep-source
  'keeps-sources-towards': (p: { cluster: string; range: string }) =>
    `${p.cluster} keeps sources towards ${p.range} already.`,
  'keeps-no-sources': (p: { cluster: string; range: string }) =>
    `${p.cluster} keeps no sources towards ${p.range}.`,
  kept: (p: { known: readonly string[] }) => `kept: ${listText(p.known) || 'none'}`,
  'range.nothing': () => 'No range is added or removed: there is nothing to change.',

  // policy
  'policy.known': (p: { cluster: string; key: string }) => `${p.cluster} has no policy ${p.key}.`,
  'policy.readable': (p: { path: string; message: string }) => `${p.path}: ${p.message}`,
  'policy.selects.selects-no-pod': (p: { namespace: string }) =>
    `It selects no pod of ${p.namespace} as it is now.`,
  'pods-looked-at': (p: { valuesCount: number }) => `${countText(p.valuesCount, 'pod')} looked at`,
  'policy.selects.isolates': (p: { selected: readonly string[] }) =>
    `It isolates ${countText(p.selected.length, 'pod')}: ${listText(p.selected, 4)}.`,
  'policy.names': () =>
    'Nothing lets its pods out to the name service (port 53): names will not be answered.',
  'no-rule-port': () => 'no rule for port 53',

  // pool
  'pool.network': (p: { site: string }) =>
    `${p.site} has no frontage network whose addresses could be given to services.`,
  networks: (p: { networks: readonly string[] }) => `networks: ${listText(p.networks, 6)}`,
  'pool.taken': (p: { pool: string }) =>
    `${p.pool} lies in a range that others hold: no network for it could be added.`,
  'pool.inside': (p: { pool: string; network: string; range: string }) =>
    `${p.pool} lies outside ${p.network} (${p.range}).`,
  network: (p: { network: string; range: string }) => `${p.network} is ${p.range}`,
  'pool.dhcp': (p: { network: string; first: string; last: string }) =>
    `The DHCP server of ${p.network} hands out ${p.first} to ${p.last} too: two would give the same address.`,
  dhcp: (p: { dhcp: string }) => `DHCP ${p.dhcp}`,
  'pool.gateway': (p: { gateway: string }) => `The gateway ${p.gateway} is in it.`,
  gateway: (p: { gateway: string }) => `gateway ${p.gateway}`,
  'pool.held': (p: { statics: readonly string[] }) =>
    `${listText(p.statics, 3)} ${p.statics.length === 1 ? 'is' : 'are'} held in it.`,
  addresses: (p: { addresses: number }) => countText(p.addresses, 'address', 'addresses'),
  'pool.used': (p: { outside: readonly string[] }) =>
    `${listText(p.outside, 3)} ${p.outside.length === 1 ? 'is' : 'are'} in use and would lie outside: they stay as long as they are used.`,
  'pool.route': (p: { network: string }) =>
    `${p.network} has no route: what answers behind these addresses must reach the nodes.`,
  routes: (p: { routesCount: number }) => countText(p.routesCount, 'route'),

  // rules
  'no-rule': (p: { site: string; missing: readonly string[] }) =>
    `${p.site} has no rule ${listText(p.missing)}.`,
  rules: (p: { known: readonly string[] }) => `rules: ${listText(p.known, 8) || 'none'}`,
  'rule.nothing.no-rule-put': () =>
    'No rule is put, removed, enabled or disabled: there is nothing to change.',
  'rule.readable.firewall': (p: { rule: string; message: string }) => `${p.rule}: ${p.message}`,
  'rules-reviewed': (p: { nextCount: number }) => `${countText(p.nextCount, 'rule')} reviewed`,
  'never-decide-all': (p: { rule: string; by: readonly string[]; opposite: boolean | string }) =>
    `${p.rule} would never decide: ${listText(p.by, 4)} ${p.by.length === 1 ? 'takes' : 'take'} all it is for${doing(p.opposite)}.`,
  'only-repeat': (p: { rule: string; by: readonly string[] }) =>
    `${p.rule} would only repeat ${listText(p.by, 4)}.`,
  'rule.nothing.no-translation-put': () =>
    'No translation is put or removed: there is nothing to change.',
  'rule.readable.translation': (p: { rule: string; message: string }) => `${p.rule}: ${p.message}`,
  'not-egress-address': (p: { becomes: string; site: string; egress: string }) =>
    `${p.becomes} is not the egress address of ${p.site} (${p.egress}): answers may not come back.`,
  egress: (p: { egress: string }) => `egress ${p.egress}`,

  // shift
  'route.known.no-route-rule': (p: { cluster: string; route: string; rule: number }) =>
    `${p.cluster} has no route ${p.route} with a rule ${p.rule}.`,
  'routes-all': (p: { routes: readonly string[] }) => `routes: ${listText(p.routes, 6) || 'none'}`,
  'weights.known': (p: {
    route: string
    unknown: readonly string[]
    backends: readonly string[]
  }) => `${p.route} has no backend ${listText(p.unknown)}; it has ${listText(p.backends)}.`,
  'weights.sum': () =>
    'The weights sum to 0: nobody would answer. Give at least one backend a weight above 0.',
  'no-ready-endpoint': (p: { backend: string }) =>
    `${p.backend} has no ready endpoint: its share of the calls would fail.`,
  'no-endpoint-ready': () => '0 ready endpoints',
  'weights.same': () => 'The shares stay as they are.',
  'guard.calls': (p: { rate: number }) =>
    `Only about ${numberText(p.rate)} calls are seen in a step: too few to tell a failing version by.`,
  'calls-second': (p: { rate: number }) => `${numberText(p.rate, 1)} calls a second`,
  route: (p: { route: string }) => p.route,
  'policy-directions': (p: { ingress: boolean; egress: boolean }) =>
    [p.ingress ? 'on the way in' : '', p.egress ? 'on the way out' : '']
      .filter((way) => way !== '')
      .join(' and '),
  shares: (p: { backends: readonly string[]; percent: readonly number[] }) =>
    listText(p.backends.map((backend, i) => `${backend} ${numberText(p.percent[i] ?? 0, 1)} %`)),
})
