/** Views and commands that *Jump* leads to, besides what the fleet holds. */
import type { FleetPlace } from '~/core/fleet'

export interface JumpPlace extends FleetPlace {
  readonly path: string
  /** A command makes something: its path is sent to, not visited. */
  readonly isCommand?: boolean
}

const view = (name: string, where: string, path: string): JumpPlace => ({
  kind: 'view',
  name,
  where,
  ref: `view${path}`,
  path,
})

export const views: readonly JumpPlace[] = [
  {
    kind: 'command',
    name: 'Draft a cluster',
    where: 'Raise',
    ref: 'command/raise',
    path: '/raise/new',
    isCommand: true,
  },
  view('Address ledger', 'Ground', '/ground/addresses'),
  view('Host packing', 'Ground', '/ground/packing'),
  view('Name records', 'Ground', '/ground/names'),
  view('Enrol a cluster', 'Raise', '/raise/enrol'),
  view('Compare drafts', 'Raise', '/raise/compare'),
  view('Capacity', 'Shape', '/shape'),
  view('Placement', 'Shape', '/shape/board'),
  view('Workloads', 'Shape', '/shape/workloads'),
  view('Right sizes', 'Shape', '/shape/sizes'),
  view('Namespaces', 'Shape', '/shape/namespaces'),
  view('Manifests', 'Shape', '/shape/manifests'),
  view('Layered files', 'Shape', '/shape/manifests?view=layers'),
  view('Scaling', 'Shape', '/shape/scaling'),
  view('Rest calendars', 'Shape', '/shape/rest'),
  view('Spend', 'Shape', '/shape/spend'),
  view('Packet walk', 'Wire', '/wire/walk'),
  view('Policies', 'Wire', '/wire/policies'),
  view('Calls', 'Wire', '/wire/calls'),
  view('Traffic', 'Wire', '/wire/traffic'),
  view('Firewall', 'Wire', '/wire/firewall'),
  view('Hosts and virtual addresses', 'Wire', '/wire/hosts'),
  view('Translation', 'Wire', '/wire/translation'),
  view('Names as pods ask them', 'Wire', '/wire/names'),
  view('Claims and volumes', 'Store', '/store'),
  view('Disks and copies', 'Store', '/store/disks'),
  view('Storage network', 'Store', '/store/network'),
  view('Registries', 'Store', '/store/registries'),
  view('Shipments', 'Store', '/store/shipments'),
  view('Support', 'Renew', '/renew'),
  view('Removal audit', 'Renew', '/renew/audit'),
  view('Upgrades', 'Renew', '/renew/upgrades'),
  view('Waves', 'Renew', '/renew/waves'),
  view('Rehearse', 'Renew', '/renew/rehearse'),
  view('On duty', 'Mend', '/mend'),
  view('Practice', 'Mend', '/mend/practice'),
  view('Told', 'Mend', '/mend/told'),
  view('Keys and credentials', '', '/keys'),
  view('Fault tray', '', '/faults'),
]
