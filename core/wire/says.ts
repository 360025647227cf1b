/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'

export const said = sentences({
  // walk
  'nobody-answers': (p: { name: string; cluster: string | null; site: string }) =>
    `Nobody answers for ${p.name}: ${p.cluster !== null ? `neither ${p.cluster} nor ${p.site} has it` : `${p.site} has no such record`}.`,
  'no-site-whose': (p: { address: string; name: string }) =>
    `${p.address} is in no site whose records could answer for ${p.name}.`,
  'name-answers': (p: { name: string; address: string; addressesCount: number }) =>
    `${p.name} is ${p.address}${p.addressesCount > 1 ? `, one of ${p.addressesCount} ready endpoints` : ''}.`,
  'no-port': (p: { service: string; port: number; protocol: string; ports: string }) =>
    `${p.service} has no port ${p.port}/${p.protocol}; it has ${p.ports}.`,
  'sends-one-ready': (p: { service: string; endpoint: string; choices: number }) =>
    `${p.service} sends it to ${p.endpoint}, one of ${p.choices} ready.`,
  'no-service-address': (p: { cluster: string; address: string }) =>
    `No service of ${p.cluster} has the address ${p.address}.`,
  'service-address-means': (p: { address: string; cluster: string }) =>
    `${p.address} is a service address of ${p.cluster}: it means something only inside that cluster.`,
  'keeps-pod-address': (p: { cluster: string; kept: string }) =>
    `${p.cluster} keeps the pod’s address towards ${p.kept}.`,
  'pod-address-hidden': (p: { node: string; address: string }) =>
    `The pod’s address is hidden behind ${p.node}: it arrives as ${p.address}.`,
  'node-not-world': (p: { pod: string }) =>
    `${p.pod} is on a node that is not in this world: nobody sends its packet on.`,
  'no-rule-lets': (p: { by: readonly string[]; pod: string; way: string }) =>
    `${p.by.join(', ')} ${p.by.length === 1 ? 'isolates' : 'isolate'} ${p.pod} and ${p.by.length === 1 ? 'has' : 'have'} no rule that lets this ${p.way} it.`,
  'no-route': (p: { network: string; address: string }) =>
    `${p.network} has no route to ${p.address}.`,
  'sends-towards': (p: { network: string; route: string; via: string }) =>
    `${p.network} sends it towards ${p.route}${p.via === '' ? '' : ` by ${p.via}`}.`,
  'denies-way-out': (p: { rule: string; site: string }) =>
    `${p.rule} of ${p.site} denies it on the way out.`,
  'lets-out': (p: { rule: string; site: string }) => `${p.rule} of ${p.site} lets it out.`,
  'no-rule-speaks': (p: { site: string }) =>
    `No rule of ${p.site} speaks of it; what goes out is allowed.`,
  'denies-way-in': (p: { rule: string; site: string }) =>
    `${p.rule} of ${p.site} denies it on the way in.`,
  'outside-no-rule': (p: { address: string; domain: string; site: string }) =>
    `${p.address} is outside ${p.domain}, and no rule of ${p.site} lets it in.`,
  'lets-in': (p: { rule: string; site: string }) => `${p.rule} of ${p.site} lets it in.`,
  'comes-from-inside': (p: { domain: string; site: string }) =>
    `It comes from inside ${p.domain}; no rule of ${p.site} speaks against it.`,
  'serves-no-port': (p: { address: string; port: number; protocol: string }) =>
    `${p.address} serves no port ${p.port}/${p.protocol}.`,
  'no-service': (p: { cluster: string; service: string }) =>
    `${p.cluster} has no service ${p.service}.`,
  'no-ready-endpoint': (p: { service: string; cluster: string }) =>
    `${p.service} of ${p.cluster} has no ready endpoint.`,
  'no-node-takes': (p: { cluster: string }) => `No node of ${p.cluster} takes it.`,
  'no-port-behind': (p: { service: string; nodePort: number }) =>
    `${p.service} has no port behind node port ${p.nodePort}.`,
  'front-hands-on': (p: {
    address: string
    service: string
    externalLocal: boolean
    node: string
  }) =>
    `${p.address} is for ${p.service}; ${p.externalLocal ? `${p.node} holds an endpoint` : `${p.node} takes it`}.`,
  'hands-own-source': (p: { node: string; service: string }) =>
    `${p.node} hands it to its own ${p.service}; the source is kept.`,
  'sends-under-own': (p: { node: string; service: string }) =>
    `${p.node} sends it on to ${p.service} under its own address.`,
  'no-endpoint-behind-node': (p: { service: string; node: string; ready: number }) =>
    p.ready === 0
      ? `${p.service} has no ready endpoint.`
      : `${p.service} takes only endpoints of the node it was asked at, and ${p.node} has none that is ready.`,
  'does-not-listen': (p: { peer: string; port: number; protocol: string }) =>
    `${p.peer} does not listen on ${p.port}/${p.protocol}.`,
  'accepts-arrives': (p: { peer: string; accepts: string; address: string }) =>
    `${p.peer} accepts ${p.accepts}, and this arrives as ${p.address}.`,
  'accepts-from': (p: { peer: string; address: string }) =>
    `${p.peer} accepts it from ${p.address}.`,
  'no-way-back': (p: { peer: string; address: string; routes: string }) =>
    `${p.peer} has no way back to ${p.address}; it answers to ${p.routes}.`,
  answers: (p: { peer: string; address: string }) => `${p.peer} answers ${p.address}.`,
  'answer-stays-inside': (p: { site: string }) => `The answer stays inside ${p.site}.`,
  'no-route-back': (p: { network: string; address: string }) =>
    `${p.network} has no route back to ${p.address}.`,
  'answer-goes-route': (p: { route: string }) => `The answer goes by the route to ${p.route}.`,
  'no-policy-isolates': (p: { pod: string }) => `No policy isolates ${p.pod} this way.`,
  'itself-and-its-node': () => 'A pod always reaches itself and the node it runs on.',
  'policy-lets': (p: { by: readonly string[]; way: string; pod: string }) =>
    `${p.by.join(', ')} ${p.by.length === 1 ? 'lets' : 'let'} it ${p.way} ${p.pod}.`,
  'source-becomes': (p: { rule: string; site: string; becomes: string }) =>
    `${p.rule} of ${p.site} makes its source ${p.becomes}.`,
  'source-kept': (p: { rule: string; site: string }) => `${p.rule} of ${p.site} keeps its source.`,
  'no-translation': (p: { site: string }) => `No translation of ${p.site} is for it.`,
  'no-endpoint': (p: { service: string }) => `${p.service} has no endpoint.`,
  'no-endpoint-on-node': (p: { service: string; ready: number; node: string }) =>
    `${p.service} keeps to the own node, and none of its ${p.ready} ready endpoints is on ${p.node}.`,
  'no-endpoint-ready': (p: { service: string; endpoints: number }) =>
    `None of the ${p.endpoints} endpoints of ${p.service} is ready.`,
})
