/** The access file of a cluster: a kubeconfig with a token that ends and an authority that covers its names. */
import { writeYaml } from '~/core/objects'
import { clusterRanges, parseCidr } from '~/core/addresses'
import { clusterDomain, type ClusterView, type FleetView, nodesOf, siteOf } from '~/core/fleet'
import { Refusal } from '../changes/errors'
import type { Line } from '../runner/journal'
import type { ClusterServers } from '../cluster-api/servers'

/** How long a token is good for, in seconds, unless it is said. */
export const usualSeconds = 8 * 3600

export interface AccessFile {
  readonly yaml: string
  readonly expiresWall: string
}

/** Names and addresses under which the API of a cluster is reached. */
export function namesOf(cluster: ClusterView, view: FleetView): readonly string[] {
  const pods = parseCidr(cluster.pods)
  const services = parseCidr(cluster.services)
  const ranges =
    pods.ok && services.ok
      ? clusterRanges(pods.value, cluster.maxPodsPerNode, services.value)
      : null
  const floating = URL.canParse(cluster.endpoint) ? [new URL(cluster.endpoint).hostname] : []
  const machines =
    cluster.controlPlane.kind === 'own'
      ? nodesOf(cluster)
          .filter((node) => node.roles.includes('control-plane'))
          .map((node) => node.address)
      : []
  const addresses = new Set([...floating, ...machines])
  // Names that lead there, at whichever site of the routing domain they are kept.
  const domain = siteOf(view, cluster.site)?.domain
  const served = view.sites
    .filter((site) => site.domain === domain)
    .flatMap((site) =>
      site.records
        .filter((record) => record.name !== '@' && addresses.has(record.value))
        .map((record) => `${record.name}.${site.nameDomain}`),
    )
  return [
    cluster.name,
    'kubernetes',
    'kubernetes.default',
    'kubernetes.default.svc',
    `kubernetes.default.svc.${clusterDomain}`,
    ...served,
    ...floating,
    ...machines.filter((address) => address !== ''),
    ...(ranges?.ok && ranges.value.apiAddress !== null ? [ranges.value.apiAddress] : []),
  ]
}

/** Refuses while the API does not answer: a file that leads nowhere would only mislead. */
export async function accessFile(
  servers: ClusterServers,
  cluster: ClusterView,
  seconds = usualSeconds,
): Promise<AccessFile> {
  if (cluster.reach)
    throw new Refusal(
      'conflict',
      `${cluster.name} was enrolled: Gyrarch signs nobody in there. Ask whoever runs it for an access file.`,
    )
  if (!cluster.apiAnswers)
    throw new Refusal(
      'unavailable',
      `The API of ${cluster.name} does not answer, so there is nothing to get access to. Ask again when it does.`,
    )
  const { server, authority, token } = await servers.handOut(cluster, 'duty', seconds)
  const user = `duty@${cluster.name}`
  const expiresWall = new Date(Date.now() + seconds * 1000).toISOString()
  const document = {
    apiVersion: 'v1',
    kind: 'Config',
    clusters: [
      {
        name: cluster.name,
        cluster: {
          server,
          'certificate-authority-data': Buffer.from(authority).toString('base64'),
        },
      },
    ],
    contexts: [{ name: cluster.name, context: { cluster: cluster.name, user } }],
    'current-context': cluster.name,
    users: [{ name: user, user: { token } }],
  }
  return {
    yaml: `# Access to ${cluster.name} as duty, until ${expiresWall}.\n${writeYaml(document)}`,
    expiresWall,
  }
}

/** The same, written down in the journal. */
export async function giveAccess(
  gyrarch: {
    readonly clusterServers: ClusterServers
    cluster(name: string): Promise<ClusterView>
    journalLine(line: Line): Promise<void>
  },
  name: string,
  seconds?: number,
): Promise<AccessFile> {
  const file = await accessFile(gyrarch.clusterServers, await gyrarch.cluster(name), seconds)
  await gyrarch.journalLine({
    kind: 'access.given',
    params: { cluster: name, until: file.expiresWall },
    about: `cluster/${name}`,
    says: `access file of ${name} handed out, valid until ${file.expiresWall}`,
  })
  return file
}
