/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { countText } from '../units'

export const said = sentences({
  // quorum
  'quorum.two': () =>
    'Two members need both to agree: the loss of either stops the control plane. Use 1 or 3.',
  'quorum.even': (p: { members: number; toleratedLosses: number; fewer: number; more: number }) =>
    `${countText(p.members, 'member tolerates', 'members tolerate')} ${countText(p.toleratedLosses, 'loss', 'losses')}, no more than ${p.fewer} would. Use ${p.fewer} or ${p.more}.`,

  // host-loss
  'no-other-host': (p: { zone: string }) => `${p.zone} has no other host`,
  'no-host-with-room': (p: { cores: number; zone: string; limit: number }) =>
    `it needs ${countText(p.cores, 'core')}; the emptiest other host of ${p.zone} has ${p.limit} left`,

  // hall-room
  'hosts-out-of-service': (p: { zone: string }) => `every host of ${p.zone} is out of service`,
  'no-host': (p: { zone: string }) => `${p.zone} has no host.`,
  'hosts-hold-its-control-plane': (p: { zone: string }) =>
    `every host of ${p.zone} holds another machine of its control plane`,
  'no-memory-left': (p: { zone: string }) => `no host of ${p.zone} has its memory left`,
  'no-cores-left': (p: { zone: string; cores: number; left: number }) =>
    `no host of ${p.zone} takes ${countText(p.cores, 'core')}: the emptiest has ${p.left} left`,
  'kept-for-failover': (p: { zone: string }) =>
    `one host’s worth of ${p.zone} is kept for failover: with it placed, the loss of a host would leave machines with nowhere to restart`,
})
