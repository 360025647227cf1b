/** The access file of a cluster: a kubeconfig with a token of eight hours and an authority that covers its names. */
import { randomBytes } from 'node:crypto'
import { writeYaml } from '~/core/objects'
import { clusterRanges, parseCidr } from '~/core/addresses'
import { type ClusterView, nodesOf } from '~/core/fleet'
import { Refusal } from '../changes/errors'
import type { Database } from '../records/database'
import { authorityFor } from './authority'

const tokenHours = 8

export interface AccessFile {
  readonly yaml: string
  readonly expiresWall: string
}

/** Names and addresses under which the API of a cluster is reached. */
function namesOf(cluster: ClusterView): readonly string[] {
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
  return [
    cluster.name,
    `${cluster.name}.fernhollow.example`,
    'kubernetes.default.svc',
    ...floating,
    ...machines.filter((address) => address !== ''),
    ...(ranges?.ok && ranges.value.apiAddress !== null ? [ranges.value.apiAddress] : []),
  ]
}

/** Refuses while the API does not answer: a file that leads nowhere would only mislead. */
export async function accessFile(database: Database, cluster: ClusterView): Promise<AccessFile> {
  if (!cluster.apiAnswers)
    throw new Refusal(
      'unavailable',
      `The API of ${cluster.name} does not answer, so there is nothing to get access to. Ask again when it does.`,
    )
  const authority = await authorityFor(database, cluster.name, namesOf(cluster))
  const user = `duty@${cluster.name}`
  const expiresWall = new Date(Date.now() + tokenHours * 3_600_000).toISOString()
  const document = {
    apiVersion: 'v1',
    kind: 'Config',
    clusters: [
      {
        name: cluster.name,
        cluster: {
          server: cluster.endpoint,
          'certificate-authority-data': Buffer.from(authority.certificate).toString('base64'),
        },
      },
    ],
    contexts: [{ name: cluster.name, context: { cluster: cluster.name, user } }],
    'current-context': cluster.name,
    users: [{ name: user, user: { token: randomBytes(24).toString('base64url') } }],
  }
  return {
    yaml: `# Access to ${cluster.name} as duty, until ${expiresWall} (${tokenHours} hours).\n${writeYaml(document)}`,
    expiresWall,
  }
}
