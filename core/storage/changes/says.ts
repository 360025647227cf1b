/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'
import { countText, decimalBytesText, durationText, listText } from '../../units'

export const said = sentences({
  'storage.none': (p: { cluster: string }) =>
    `No add-on of ${p.cluster} keeps volumes on the disks of its nodes.`,
  'storage.add-ons': (p: { addOns: readonly string[] }) => `add-ons: ${listText(p.addOns)}`,
  'network.missing': (p: { network: string }) => `No node has a link to ${p.network}.`,
  'network.none': () => 'Say which network copies are to travel.',
  'networks.linked': (p: { networks: readonly string[] }) =>
    `nodes have links to ${listText(p.networks)}`,
  'network.same': (p: { network: string }) => `Copies travel ${p.network} already.`,
  'network.listens': (p: { count: number; network: string }) =>
    `${countText(p.count, 'process listens', 'processes listen')} on ${p.network}`,
  'network.no-link': (p: { nodes: readonly string[]; network: string }) =>
    `${listText(p.nodes)} ${p.nodes.length === 1 ? 'has' : 'have'} no link to ${p.network}: copies there would be cut off.`,
  'network.barred': (p: { pairs: number; of: number; network: string }) =>
    `${p.pairs} of ${countText(p.of, 'pair')} ${p.pairs === 1 ? 'does' : 'do'} not reach each other on ${p.network}.`,
  'pair.barred': (p: { from: string; to: string; says: string }) =>
    `${p.from} to ${p.to}: ${p.says}`,
  'network.mtu': (p: { node: string; network: string; sent: number; taken: number }) =>
    `The link of ${p.node} to ${p.network} takes packets of ${p.taken} bytes, the others send ${p.sent}: large writes would vanish.`,
  'link.mtu': (p: { node: string; mtu: number }) => `${p.node}: MTU ${p.mtu}`,
  'network.attached': (p: { volume: string; pods: readonly string[]; workload: string }) =>
    `${p.volume} is being served for ${listText(p.pods)} of ${p.workload}. Its copies would lose each other in the middle of writes.`,
  'pod.uses': (p: { pod: string; volume: string; node: string }) =>
    `${p.pod} uses ${p.volume} on ${p.node}`,
  'workload.owner': (p: { workload: string; owner: string }) => `${p.workload}: ${p.owner}`,
  'network.bound-pod': (p: { volume: string; pod: string; kind: string }) =>
    `${p.volume} is served for ${p.pod}, which nothing can stop and start again: ${p.kind === '' ? 'it has no workload' : `it belongs to a ${p.kind}`}.`,
  'network.stops': (p: { workloads: readonly string[]; seconds: number }) =>
    `${listText(p.workloads)} ${p.workloads.length === 1 ? 'is' : 'are'} stopped for about ${durationText(p.seconds)} and started again as before.`,
  'network.degraded': (p: { volumes: readonly string[] }) =>
    `${listText(p.volumes)} ${p.volumes.length === 1 ? 'lacks' : 'lack'} a copy: wait until every copy is whole.`,
  'copies.of': (p: { volume: string; whole: number; copies: number }) =>
    `${p.volume}: ${p.whole} of ${countText(p.copies, 'copy', 'copies')} whole`,
  'node.missing': (p: { node: string }) => `${p.node} keeps no copies.`,
  'node.none': () => 'Say which node.',
  'nodes.keep': (p: { nodes: readonly string[] }) => `copies are kept on ${listText(p.nodes)}`,
  'link.missing': (p: { node: string; network: string }) =>
    `${p.node} has no link to ${p.network}.`,
  'link.over': (p: { network: string; mtu: number; most: number }) =>
    `${p.network} carries packets of ${p.most} bytes at most; ${p.mtu} would not pass.`,
  'network.mtu-is': (p: { network: string; mtu: number }) => `${p.network}: MTU ${p.mtu}`,
  'link.same': (p: { node: string; mtu: number }) =>
    `The link of ${p.node} takes ${p.mtu} bytes already.`,
  'link.in-use': (p: { node: string; network: string }) =>
    `Copies travel ${p.network} now: while the link of ${p.node} is set, its copies are out of reach for a moment.`,
  'volume.none': () => 'Say which volume.',
  'volume.missing': (p: { cluster: string; volume: string }) =>
    `${p.cluster} has no volume ${p.volume}.`,
  volumes: (p: { volumes: readonly string[] }) => `volumes: ${listText(p.volumes)}`,
  'volume.shrinks': (p: { volume: string; bytes: number }) =>
    `${p.volume} has ${decimalBytesText(p.bytes)}. A volume only grows: what it holds would be cut off.`,
  'volume.holds': (p: { volume: string; bytes: number }) =>
    `${p.volume} holds ${decimalBytesText(p.bytes)}`,
  'volume.same-size': (p: { volume: string }) => `${p.volume} has that size already.`,
  'volume.room': (p: { volume: string; disk: string; left: number }) =>
    `${p.disk}, which holds a copy of ${p.volume}, has ${decimalBytesText(p.left)} that are not promised yet.`,
  'disk.promised': (p: { disk: string; planned: number; bytes: number }) =>
    `${p.disk}: ${decimalBytesText(p.planned)} of ${decimalBytesText(p.bytes)} promised`,
  'volume.short': (p: { volume: string; missing: number; copies: number }) =>
    `${p.missing} of ${countText(p.copies, 'copy', 'copies')} of ${p.volume} would find no disk.`,
  'disks.refuse': (p: { reason: string; disks: number }) =>
    `${countText(p.disks, 'disk')}: ${refusalText[p.reason] ?? p.reason}`,
  'copies.same': (p: { volume: string; copies: number }) =>
    `${p.volume} has ${countText(p.copies, 'copy', 'copies')} already.`,
  'copies.single': (p: { volume: string }) =>
    `With one copy, the loss of its disk is the loss of ${p.volume}.`,
  'copies.fewer': (p: { volume: string; copies: number }) =>
    `${p.volume} would stand the loss of ${countText(p.copies - 1, 'copy', 'copies')} instead of more.`,
  'copy.missing': (p: { volume: string; disk: string }) => `${p.volume} has no copy on ${p.disk}.`,
  'copies.on': (p: { disks: readonly string[] }) => `copies on ${listText(p.disks)}`,
  'target.refuses': (p: { volume: string; disk: string; reason: string }) =>
    `${p.disk} cannot take the copy of ${p.volume}: ${refusalText[p.reason] ?? p.reason}.`,
  'target.missing': (p: { disk: string }) => `There is no disk ${p.disk}.`,
  'disks.are': (p: { disks: readonly string[] }) => `disks: ${listText(p.disks)}`,
  'snapshot.exists': (p: { volume: string; snapshot: string }) =>
    `${p.volume} has a snapshot ${p.snapshot} already.`,
  'snapshot.missing': (p: { volume: string; snapshot: string }) =>
    `${p.volume} has no snapshot ${p.snapshot}.`,
  'snapshots.are': (p: { snapshots: readonly string[] }) =>
    p.snapshots.length === 0 ? 'no snapshots' : `snapshots: ${listText(p.snapshots)}`,
  'snapshot.loses': (p: { volume: string; snapshot: string; seconds: number }) =>
    `Everything written to ${p.volume} in the ${durationText(p.seconds)} since ${p.snapshot} is lost. It is kept as another snapshot first.`,
  'snapshot.holds': (p: { snapshot: string; bytes: number; used: number }) =>
    `${p.snapshot} holds ${decimalBytesText(p.bytes)}, the volume ${decimalBytesText(p.used)}`,
  'restore.attached': (p: { volume: string; pods: readonly string[]; workload: string }) =>
    `${p.volume} is being served for ${listText(p.pods)} of ${p.workload}: its data would change under it.`,
  'disk.exists': (p: { disk: string }) => `${p.disk} keeps copies already.`,
  'disk.missing': (p: { disk: string }) => `No disk ${p.disk} keeps copies.`,
  'disk.none': () => 'Say which disk.',
  'disk.emptied': (p: { disk: string; volumes: number; bytes: number }) =>
    `${countText(p.volumes, 'copy', 'copies')} (${decimalBytesText(p.bytes)}) ${p.volumes === 1 ? 'moves' : 'move'} away from ${p.disk} first.`,
  'copy.goes': (p: { volume: string; disk: string }) => `${p.volume} to ${p.disk}`,
  'disk.stuck': (p: { disk: string; volume: string }) =>
    `The copy of ${p.volume} on ${p.disk} finds no other disk.`,
  'class.exists': (p: { cluster: string; name: string }) =>
    `${p.cluster} has a class ${p.name} already; what a class keeps does not change once it is made.`,
  'class.missing': (p: { cluster: string; name: string }) =>
    p.name === '' ? 'Say which class.' : `${p.cluster} has no class ${p.name}.`,
  'classes.are': (p: { classes: readonly string[] }) => `classes: ${listText(p.classes)}`,
  'class.zones': (p: { zones: readonly string[] }) => `No node stands in ${listText(p.zones)}.`,
  'zones.are': (p: { zones: readonly string[] }) => `nodes stand in ${listText(p.zones)}`,
  'zones.with-disks': (p: { zones: readonly string[] }) => `disks in ${listText(p.zones)}`,
  'class.copies': (p: { copies: number; zones: readonly string[] }) =>
    `${countText(p.copies, 'copy', 'copies')}, each in a zone of its own, need as many zones with disks; there ${p.zones.length === 1 ? 'is' : 'are'} ${p.zones.length}.`,
  'class.hole': (p: { name: string; lacks: readonly string[] }) =>
    `${p.name} makes no volume in ${listText(p.lacks)}: pods there that ask for one wait for ever.`,
  'namespace.missing': (p: { cluster: string; namespace: string }) =>
    `${p.cluster} has no namespace ${p.namespace}.`,
  'namespaces.are': (p: { namespaces: readonly string[] }) =>
    `namespaces: ${listText(p.namespaces)}`,
  'grant.used': (p: { namespace: string; class: string; used: number }) =>
    `Claims of ${p.namespace} ask for ${decimalBytesText(p.used)} of ${p.class} already: new ones would be refused at once.`,
  'claims.ask': (p: { namespace: string; used: number }) =>
    `${p.namespace}: ${decimalBytesText(p.used)} asked for`,
  'grant.owned': (p: { quota: string; owner: string }) =>
    `The quota ${p.quota} was written by ${p.owner}: their files would bring back what they say.`,
  'written.by': (p: { quota: string; owner: string }) => `${p.quota}: ${p.owner}`,
  'grant.limits': (p: { namespace: string; classes: readonly string[] }) =>
    `${p.namespace} could use every class until now; from then on it may use ${listText(p.classes)}.`,
  'disk.gone-copies': (p: { disk: string }) =>
    `${p.disk} does not answer: nothing can be moved from it. Its copies are made anew elsewhere by themselves.`,
  'schedule.none': (p: { volume: string }) =>
    `No snapshots of ${p.volume} are taken by themselves: there is nothing to end.`,
  'schedule.unreadable': (p: { problem: string }) => p.problem,
  'schedule.never': () => 'This rule yields no time that is still to come.',
  'schedule.reaches': (p: { first: string; keep: number; seconds: number }) =>
    `The first is taken on ${p.first.slice(0, 16).replace('T', ' ')}Z${
      p.seconds === 0
        ? ', and none after it.'
        : `; with ${p.keep} kept one can go back ${durationText(p.seconds)}.`
    }`,
})

/** Why disks refuse a copy, by code. */
const refusalText: Readonly<Record<string, string>> = {
  'node-taken': 'its node holds a copy already',
  'zone-taken': 'its zone holds a copy already',
  'no-room': 'too little room that is not promised yet',
  floor: 'less free than the floor that is kept',
}
