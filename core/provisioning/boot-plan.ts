/** The boot data of a draft: one wish for each machine, and how each is handed over at its site. */
import { parseRange, sizeOf } from '../addresses'
import type { BoxView, NetworkView, SiteView } from '../fleet'
import type { BootFiles, BootWish, Handed } from './boot-data'
import { bootFiles, handOver, macOf, masked } from './boot-data'
import { boxAddress } from './checks/box-address'
import { cardNetwork } from './checks/box-address'
import type { Planned, PlannedMachine } from './planned'
import { controlPlanePool, controlPlaneTaints, tolerated } from './planned'

export interface BootOf {
  /** The machine as its site calls it. */
  readonly machine: string
  readonly node: string
  readonly wish: BootWish
  readonly files: BootFiles
  readonly handed: Handed
  readonly url: string
}

const prefixOf = (network: NetworkView | undefined): string => network?.range.split('/')[1] ?? '32'

/** Where the site’s boot server would serve a machine’s file. */
export const bootUrl = (site: SiteView, cluster: string, machine: string): string =>
  `http://boot.${site.name}.${site.nameDomain || 'invalid'}/${cluster}/${machine}/user-data`

function common(
  planned: Planned,
  node: string,
  roles: readonly string[],
  pool: string,
  token: string,
): Omit<BootWish, 'card' | 'instance'> {
  const { intent, view, site, release, statics } = planned
  const services = intent.services
  const security = intent.security
  const key = intent.sshKey === undefined ? undefined : view.sshPublic[intent.sshKey]
  const requestedPool = intent.pools.find((otherPool) => otherPool.name === pool)
  const first = intent.machines.find((machine) => machine.roles.includes('control-plane'))
  const box = first && site?.boxes.find((box) => box.name === first.machine)
  const address =
    statics?.addresses[0] ?? (site && first && box ? boxAddress(site, box, first, planned) : null)
  let endpoint: string | null
  if (intent.names?.api) endpoint = `https://${intent.names.api}:6443`
  else if (address === null || address === '') endpoint = null
  else endpoint = `https://${address}:6443`
  return {
    cluster: intent.name,
    site: intent.site,
    node,
    roles,
    release: release?.version ?? intent.release,
    endpoint,
    token,
    sshKeys: key === undefined ? [] : [`${key} ${intent.sshKey ?? ''}`],
    domain: site?.nameDomain ?? '',
    timeServers: services?.timeServers ?? site?.timeServers.map((server) => server.name) ?? [],
    nameServers: services?.nameServers ?? [],
    webProxy: services?.webProxy ?? null,
    authorities: services?.authorities ?? [],
    registryMirror: services?.registryMirror || null,
    labels: requestedPool?.labels ?? {},
    taints: pool === controlPlanePool ? controlPlaneTaints(planned) : (requestedPool?.taints ?? []),
    encryptSecrets: security?.encryptSecrets ?? true,
    auditPolicy: security?.auditPolicy ?? 'metadata',
    identityProvider: security?.identityProvider ?? null,
  }
}

/** Files of wishes that were written before: a draft is checked and planned again with every key that is typed. */
const written = new Map<string, BootFiles>()
const mostWritten = 4000

/** The files of a wish; those with real tokens are never kept. */
function filesOf(boot: BootWish): BootFiles {
  if (boot.token !== masked) return bootFiles(boot)
  const key = JSON.stringify(boot)
  const keptFiles = written.get(key)
  if (keptFiles) return keptFiles
  const files = bootFiles(boot)
  if (written.size >= mostWritten) written.clear()
  written.set(key, files)
  return files
}

function finish(planned: Planned, site: SiteView, machine: string, boot: BootWish): BootOf {
  const files = filesOf(boot)
  const url = bootUrl(site, boot.cluster, machine)
  return {
    machine,
    node: boot.node,
    wish: boot,
    files,
    url,
    handed: handOver(files, site.bootData, url, planned.intent.bootData?.handOver === 'published'),
  }
}

/** Of a machine that the site makes. `address` is what is held for it, or null for DHCP. */
export function bootOfMachine(
  planned: Planned,
  site: SiteView,
  machine: PlannedMachine,
  address: string | null,
  token: string = masked,
): BootOf {
  const hall = site.kind === 'hall'
  let network: NetworkView | undefined
  if (machine.role === 'control-plane' && hall) network = planned.managementNetwork
  else if (hall) network = planned.nodesNetwork
  else network = site.networks.find((otherNetwork) => otherNetwork.zone === machine.zone)
  let roles: string[]
  if (machine.role === 'worker') roles = ['worker']
  else if (tolerated(planned)) roles = ['control-plane']
  else roles = ['control-plane', 'worker']
  return finish(planned, site, machine.name, {
    ...common(planned, machine.name, roles, machine.pool, token),
    instance: `${machine.name}-${machine.again + 1}`,
    card: {
      name: 'cluster0',
      mac: macOf(site.name, machine.name),
      address: address === null ? null : `${address}/${prefixOf(network)}`,
      gateway: network?.gateway ?? null,
      mtu: planned.intent.services?.mtu ?? network?.mtu ?? null,
    },
  })
}

/** Of a machine that stands there already. */
export function bootOfBox(
  planned: Planned,
  site: SiteView,
  box: BoxView,
  index: number,
  token: string = masked,
): BootOf | null {
  const machine = planned.intent.machines[index]
  if (!machine) return null
  const network = cardNetwork(site, box, machine)
  const card = box.cards.find((card) => card.name === machine.card) ?? box.cards[0]
  const address = boxAddress(site, box, machine, planned)
  return finish(planned, site, box.name, {
    ...common(
      planned,
      machine.nodeName,
      machine.roles,
      machine.roles.includes('control-plane') ? controlPlanePool : 'worker',
      token,
    ),
    instance: `${machine.nodeName}-${(planned.intent.again?.[box.name] ?? 0) + 1}`,
    card: {
      name: card?.name ?? 'cluster0',
      mac: card?.mac ?? macOf(site.name, box.name),
      address: address === null ? null : `${address}/${prefixOf(network)}`,
      gateway: network?.gateway ?? null,
      mtu: planned.intent.services?.mtu ?? network?.mtu ?? null,
    },
  })
}

/** Every machine’s boot data, in the order of the draft. `tokenOf` gives the join token of a node; without it they are masked. */
export function bootDataOf(
  planned: Planned,
  tokenOf: (node: string) => string = () => masked,
): readonly BootOf[] {
  const { site, machines, intent, statics } = planned
  if (!site) return []
  const members = machines.filter((machine) => machine.role === 'control-plane')
  return [
    ...machines.map((machine) => {
      const i = members.indexOf(machine)
      return bootOfMachine(
        planned,
        site,
        machine,
        i < 0 || site.kind !== 'hall' ? null : (statics?.addresses[i + 1] ?? null),
        tokenOf(machine.name),
      )
    }),
    ...intent.machines.flatMap((machine, i) => {
      const box = site.boxes.find((box) => box.name === machine.machine)
      return box ? (bootOfBox(planned, site, box, i, tokenOf(machine.nodeName)) ?? []) : []
    }),
  ]
}

/** How many addresses a range of virtual addresses has; 0 for one that cannot be read. */
export function virtualCount(text: string | undefined): number {
  const range = text === undefined ? null : parseRange(text)
  return range?.ok ? Number(sizeOf(range.value)) : 0
}
