/** Every command the outside understands, by verb. */
import type { Behaviour } from './engine/simulator'
import { addressHold, addressRelease } from './sites/addresses'
import { boxClear, boxInstall } from './sites/boxes'
import { controlPlaneCreate, controlPlaneDelete } from './sites/control-planes'
import { imagePlace, imageRemove } from './sites/images'
import { machineBoot, machineCreate, machineDelete, machineStop } from './sites/machines'
import { addOnsPlace, dnsAsk, podTry, tokensRevoke } from './cluster/add-ons'
import { apiStart, apiStop, clusterClose } from './cluster/api'
import { nodeJoin, nodeRemove } from './cluster/nodes'

export const behaviours: Readonly<Record<string, Behaviour>> = {
  'address.hold': addressHold,
  'address.release': addressRelease,
  'machine.create': machineCreate,
  'machine.boot': machineBoot,
  'machine.stop': machineStop,
  'machine.delete': machineDelete,
  'box.install': boxInstall,
  'box.clear': boxClear,
  'image.place': imagePlace,
  'image.remove': imageRemove,
  'controlplane.create': controlPlaneCreate,
  'controlplane.delete': controlPlaneDelete,
  'api.start': apiStart,
  'api.stop': apiStop,
  'cluster.close': clusterClose,
  'node.join': nodeJoin,
  'node.remove': nodeRemove,
  'addons.place': addOnsPlace,
  'tokens.revoke': tokensRevoke,
  'dns.ask': dnsAsk,
  'pod.try': podTry,
}
