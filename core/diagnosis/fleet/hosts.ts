/** Machines that went with their host: what it carried is one case, however many clusters suffer. */
import { type ClusterView, type FleetView, nodesOf, siteOf } from '../../fleet'
import type { Trouble } from '../cases'
import { said } from './says'

/** Machines that a trouble is about: that of a node, those of a control plane. */
function machinesOf(cluster: ClusterView, subject: string): readonly string[] {
  if (subject === 'cluster')
    return cluster.controlPlane.kind === 'own' ? cluster.controlPlane.members : []
  const [kind, name] = subject.split('/')
  if (kind !== 'node') return []
  return nodesOf(cluster).flatMap((node) => (node.name === name ? [node.machine] : []))
}

const ofMachines: ReadonlySet<string> = new Set(['machine-gone', 'quorum-lost', 'member-down'])

/** A trouble whose machine lay on a host that is dead is about that host. */
export function withHost(
  trouble: Trouble<string>,
  cluster: ClusterView,
  view: FleetView,
): Trouble<string> {
  const [first] = trouble.diagnosis.causes
  const site = siteOf(view, cluster.site)
  if (!first || !site || !ofMachines.has(first.cause)) return trouble
  const machines = machinesOf(cluster, trouble.subject)
  const dead = site.hosts.find(
    (host) =>
      host.service === 'dead' &&
      site.machines.some(
        (machine) => machine.host === host.name && machines.includes(machine.name),
      ),
  )
  if (!dead) return trouble
  const about = `host/${site.name}/${dead.name}`
  const { says } = said('fleet.host', { host: dead.name, site: site.name })
  return {
    ...trouble,
    key: `host-dead ${site.name} ${dead.name}`,
    diagnosis: {
      ...trouble.diagnosis,
      next: null,
      causes: [
        {
          ...first,
          cause: 'host-dead',
          about,
          share: 1,
          says,
          chain: [{ about, says }, ...first.chain],
          because: [{ type: 'status', about, at: null, text: says }, ...first.because],
        },
        ...trouble.diagnosis.causes,
      ],
    },
  }
}
