/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../core/contract/said'
import { decimalBytesText, countText, listText } from '../../core/units'

export const said = sentences({
  'no-storage': (p: { cluster: string }) => `${p.cluster} keeps no replicated storage.`,
  'no-add-on': () => 'no add-on of it keeps volumes',
  'volume-gone': (p: { volume: string }) => `There is no volume ${p.volume}.`,
  'no-disk': (p: { node: string; disk: string }) => `${p.node} has no disk ${p.disk}.`,
  'not-there': () => 'not there',
  'no-link': (p: { node: string; network: string }) => `${p.node} has no link to ${p.network}.`,
  'peer-unreachable': (p: { from: string; to: string; network: string }) =>
    `${p.from} does not reach ${p.to} on ${p.network}.`,
  'packet-too-large': (p: { from: string; to: string; sent: number; taken: number }) =>
    `Packets of ${p.sent} bytes from ${p.from} do not arrive at ${p.to}, whose link takes ${p.taken}.`,
  'on-the-way': (p: { says: string }) => p.says,
  'pairs-reached': (p: { pairs: number; network: string }) =>
    `${countText(p.pairs, 'pair')} of nodes reach each other on ${p.network} with packets of full size`,
  'volume-attached': (p: { volumes: readonly string[] }) =>
    `${listText(p.volumes, 4)} ${p.volumes.length === 1 ? 'is' : 'are'} being served.`,
  'served-for': (p: { volume: string; node: string; pod: string }) =>
    `${p.volume} is served on ${p.node} for ${p.pod}`,
  'all-detached': () => 'no volume is served any more',
  'network-told': (p: { network: string }) =>
    `copies are to travel ${p.network}; each process takes it up when it restarts`,
  restarted: (p: { node: string; network: string; address: string }) =>
    `the process of ${p.node} listens on ${p.address} (${p.network})`,
  'link-set': (p: { node: string; network: string; mtu: number }) =>
    `the link of ${p.node} to ${p.network} takes packets of ${p.mtu} bytes`,
  'no-process': (p: { node: string }) => `${p.node} keeps no copies.`,
  connections: (p: { count: number }) => `${countText(p.count, 'new connection')} seen`,
  'volume-shrinks': (p: { volume: string; bytes: number }) =>
    `${p.volume} holds ${decimalBytesText(p.bytes)}: a volume only grows.`,
  'disk-full': (p: { node: string; disk: string }) =>
    `${p.node}/${p.disk} has no room that is not promised yet.`,
  'volume-set': (p: { volume: string; bytes: number; copies: number }) =>
    `${p.volume} has ${decimalBytesText(p.bytes)} in ${countText(p.copies, 'copy', 'copies')}`,
  'volume-whole': (p: { volume: string; copies: number }) =>
    `${p.volume} has ${countText(p.copies, 'whole copy', 'whole copies')}`,
  'no-disk-takes': () => 'no disk takes another copy',
  'does-not-answer': () => 'does not answer',
  'volume-short': (p: { volume: string; whole: number; copies: number }) =>
    `${p.volume} has ${p.whole} of ${countText(p.copies, 'copy', 'copies')}, and no disk takes another.`,
  'no-copy': (p: { volume: string; node: string; disk: string }) =>
    `${p.volume} has no copy on ${p.node}/${p.disk}.`,
  moved: (p: { volume: string; node: string; disk: string }) =>
    `${p.volume} is whole on ${p.node}/${p.disk}`,
  'snapshot-exists': (p: { volume: string; snapshot: string }) =>
    `${p.volume} has a snapshot ${p.snapshot} already.`,
  'snapshot-gone': (p: { volume: string; snapshot: string }) =>
    `${p.volume} has no snapshot ${p.snapshot}.`,
  'snapshot-taken': (p: { snapshot: string; bytes: number }) =>
    `${p.snapshot} holds ${decimalBytesText(p.bytes)}`,
  'snapshot-removed': () => 'it is gone',
  restored: (p: { volume: string; snapshot: string; bytes: number }) =>
    `${p.volume} holds what ${p.snapshot} held: ${decimalBytesText(p.bytes)}`,
  'disk-exists': (p: { node: string; disk: string }) => `${p.node} has a disk ${p.disk} already.`,
  'disk-holds': (p: { node: string; disk: string; volumes: readonly string[] }) =>
    `${p.node}/${p.disk} still holds ${listText(p.volumes, 4)}.`,
  'disk-added': (p: { disk: string; bytes: number }) =>
    `${p.disk} takes copies: ${decimalBytesText(p.bytes)}`,
  'disk-set': (p: { disk: string; retiring: boolean }) =>
    p.retiring ? `${p.disk} takes nothing new` : `${p.disk} takes copies again`,
  'disk-removed': () => 'it is taken out',
})
