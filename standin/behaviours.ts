/** Every command the outside understands, by verb. */
import type { VerbName, DefinitionOf } from '../core/contract'
import type { AnyBehaviour, Behaviour } from './engine/sim'
import { addressHold, addressRelease } from './sites/addresses'
import { boxClear, boxInstall, boxTake } from './sites/boxes'
import { controlPlaneCreate, controlPlaneDelete } from './sites/control-planes'
import { blobsFetch, imagePlace, imageRemove } from './sites/images'
import * as ground from './sites/ground'
import * as leftovers from './sites/leftovers'
import * as balancers from './sites/balancers'
import { machineCreate, machineDelete, machineRestart, machineStop } from './sites/machines'
import { machineBoot } from './sites/boot'
import { addOnsPlace, dnsAsk, podTry, tokensRevoke } from './cluster/add-ons'
import { apiStart, apiStop, clusterClose } from './cluster/api'
import {
  classDefault,
  memberLeave,
  nodeCordon,
  nodeDrain,
  nodePutBack,
  nodeSet,
  nodeUncordon,
} from './cluster/keeping'
import { backupRestore } from './cluster/backups'
import { backupTry } from './cluster/backups'
import { backupTake } from './cluster/backups'
import { certificatesRenew } from './cluster/backups'
import { addOnMove, agentMove, controlPlaneMove } from './cluster/releases'
import { imagesPull, nodesCredential, nodesRedirect } from './cluster/images'
import { nodeJoin, nodeRemove } from './cluster/nodes'
import { clusterRest, clusterWake } from './cluster/rest'
import {
  firewallSet,
  keepSourceSet,
  routeWeights,
  trafficWatch,
  translationsSet,
} from './traffic/verbs'
import * as disks from './storage/disk-verbs'
import * as copies from './storage/network-verbs'
import * as snapshots from './storage/snapshot-verbs'
import * as volumes from './storage/volume-verbs'
import { objectsWrite } from './cluster/write'
import { objectsApply, objectsPutBack, objectsRemove } from './cluster/objects'
import { workloadRestart } from './cluster/rollout'
import { rolloutAwait } from './cluster/rollout'

/** Verbs that are asked of sites and clusters. */
export type OutsideVerb = {
  [Name in VerbName]: DefinitionOf<Name>['port'] extends 'site' | 'cluster' ? Name : never
}[VerbName]

const behaviours: { readonly [Name in OutsideVerb]: Behaviour<Name> } = {
  'address.hold': addressHold,
  'blobs.fetch': blobsFetch,
  'nodes.redirect': nodesRedirect,
  'nodes.credential': nodesCredential,
  'images.pull': imagesPull,
  'address.release': addressRelease,
  'machine.create': machineCreate,
  'machine.boot': machineBoot,
  'machine.stop': machineStop,
  'machine.delete': machineDelete,
  'machine.restart': machineRestart,
  'service.restart': ground.serviceRestart,
  'network.set': ground.networkSet,
  'network.remove': ground.networkRemove,
  'route.add': ground.routeAdd,
  'route.remove': ground.routeRemove,
  'quota.ask': ground.quotaAsk,
  'host.service': ground.hostService,
  'site.set': ground.siteSet,
  'site.add': ground.siteAdd,
  'site.remove': ground.siteRemove,
  'records.set': ground.recordsSet,
  'firewall.set': firewallSet,
  'translations.set': translationsSet,
  'keepsource.set': keepSourceSet,
  'route.weights': routeWeights,
  'traffic.watch': trafficWatch,
  'bootdata.publish': ground.bootDataPublish,
  'bootdata.withdraw': ground.bootDataWithdraw,
  'balancer.create': balancers.balancerCreate,
  'balancer.delete': balancers.balancerDelete,
  'front.try': balancers.frontTry,
  'orphan.remove': leftovers.orphanRemove,
  'orphan.adopt': leftovers.orphanAdopt,
  'box.install': boxInstall,
  'box.clear': boxClear,
  'box.take': boxTake,
  'box.add': ground.boxAdd,
  'box.drop': ground.boxDrop,
  'image.place': imagePlace,
  'image.remove': imageRemove,
  'controlplane.create': controlPlaneCreate,
  'controlplane.delete': controlPlaneDelete,
  'api.start': apiStart,
  'api.stop': apiStop,
  'cluster.close': clusterClose,
  'node.join': nodeJoin,
  'node.remove': nodeRemove,
  'member.leave': memberLeave,
  'class.default': classDefault,
  'node.drain': nodeDrain,
  'node.cordon': nodeCordon,
  'node.set': nodeSet,
  'node.put-back': nodePutBack,
  'node.uncordon': nodeUncordon,
  'certificates.renew': certificatesRenew,
  'controlplane.move': controlPlaneMove,
  'addon.move': addOnMove,
  'agent.move': agentMove,
  'backup.take': backupTake,
  'backup.try': backupTry,
  'backup.restore': backupRestore,
  'objects.apply': objectsApply,
  'objects.remove': objectsRemove,
  'objects.put-back': objectsPutBack,
  'objects.write': objectsWrite,
  'rollout.await': rolloutAwait,
  'workload.restart': workloadRestart,
  'cluster.rest': clusterRest,
  'cluster.wake': clusterWake,
  'addons.place': addOnsPlace,
  'tokens.revoke': tokensRevoke,
  'dns.ask': dnsAsk,
  'pod.try': podTry,
  'storage.ping': copies.storagePing,
  'storage.network': copies.storageNetwork,
  'storage.restart': copies.storageRestart,
  'storage.link': copies.storageLink,
  'storage.watch': copies.storageWatch,
  'volumes.await-detached': copies.volumesAwaitDetached,
  'volume.set': volumes.volumeSet,
  'volume.await-whole': volumes.volumeAwaitWhole,
  'volume.move': volumes.volumeMove,
  'snapshot.take': snapshots.snapshotTake,
  'snapshot.remove': snapshots.snapshotRemove,
  'snapshot.restore': snapshots.snapshotRestore,
  'disk.add': disks.diskAdd,
  'disk.set': disks.diskSet,
  'disk.remove': disks.diskRemove,
}

const byVerb: ReadonlyMap<string, AnyBehaviour> = new Map(Object.entries(behaviours))

export const behaviourOf = (verb: string): AnyBehaviour | undefined => byVerb.get(verb)
