/** The sentences of this connector, by the code of what they tell. */
import { sentences } from '~/core/contract'
import { countText, listText } from '~/core/units'

export const said = sentences({
  'reach.asking': (_: Record<never, never>) => 'It is being asked.',
  'reach.heard': (p: { address: string }) => `It answers at ${p.address}.`,
  'reach.answered': (p: { address: string; release: string }) =>
    `${p.address} answers: ${p.release}`,
  'reach.rights': (p: { lists: number; of: number }) =>
    `${p.lists} of ${countText(p.of, 'list')} that are shown may be read and watched`,
  'reach.listed': (p: { objects: number }) => `${countText(p.objects, 'object')} listed`,
  'reach.opened': (p: { cluster: string }) => `${p.cluster} is in the fleet`,
  'reach.closed': (p: { cluster: string }) => `${p.cluster} is asked no more`,
  'reach.no-agent': () => 'Its agent is not connected.',
  'left-off': () => 'Given up before it was done: the run turned back.',
  'reach.waits': (p: { relay: string }) => `waits for its agent to dial ${p.relay}`,
  'reach.dialled': (p: { at: string }) => `its agent has dialled in at ${p.at}`,
  'not-the-api.version': (p: { address: string }) =>
    `${p.address} is not the open API: /version says no version.`,
  'rights-missing': (p: { address: string; resources: readonly string[] }) =>
    `${p.address} does not let Gyrarch list and watch ${listText(p.resources)}. Grant it get, list and watch there.`,
  'rights-missing.said': (p: { address: string; says: string }) =>
    `${p.address} grants too little: ${p.says}`,
  refused: (p: { address: string; says: string }) => `${p.address} refuses: ${p.says}`,
  'too-slow': (p: { address: string }) => `${p.address} takes too long to answer.`,
  'sealed-elsewhere': () =>
    'The secrets of this access file do not open here: they were sealed for another address, or with another key. Drop the file again.',
  'not-here': (p: { verb: string }) =>
    `${p.verb} cannot be done through the open API: it needs what stands under the cluster.`,
  'verb.unknown': (p: { verb: string }) => `There is no command ${p.verb}.`,
  'api-refuses': (p: { object: string; says: string }) => `${p.object}: ${p.says}`,
  applied: (p: { objects: readonly string[] }) => `applied ${listText(p.objects)}`,
  removed: (p: { objects: readonly string[] }) => `removed ${listText(p.objects)}`,
  'put-back': (p: { objects: number }) => `put back ${countText(p.objects, 'object')}`,
  cordoned: (p: { node: string }) => `${p.node} takes no new pods`,
  uncordoned: (p: { node: string }) => `${p.node} takes pods again`,
  evicting: (p: { pods: number; node: string }) => `${countText(p.pods, 'pod')} to leave ${p.node}`,
  evicted: (p: { pod: string }) => `${p.pod} evicted`,
  'eviction-waits': (p: { pod: string; says: string }) => `${p.pod} waits: ${p.says}`,
  drained: (p: { node: string }) => `${p.node} is empty of what can leave it`,
  restarted: (p: { workload: string }) => `${p.workload} rolls`,
  'roll-out': (p: { ready: number; of: number }) => `${p.ready} of ${countText(p.of, 'pod')} ready`,
  'rollout-stalled': (p: { workload: string; seconds: number }) =>
    `${p.workload} is not ready within ${p.seconds} s.`,
  'workload-gone': (p: { workload: string }) => `${p.workload} is not there.`,
  'node-gone': (p: { node: string }) => `${p.node} is not there.`,
  'not-taken': (p: { cluster: string }) => `${p.cluster} is not reached any more.`,
})
