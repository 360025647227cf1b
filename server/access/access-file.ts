/** The access file of a cluster: a kubeconfig with a token that ends and an authority that covers its names. */
import { z } from 'zod'
import { writeYaml } from '~/core/objects'
import { clusterRanges, parseCidr } from '~/core/addresses'
import {
  accountOf,
  clusterDomain,
  type ClusterView,
  type FleetView,
  nodesOf,
  siteOf,
} from '~/core/fleet'
import { Refusal } from '../changes/errors'
import type { Hub } from '../live/hub'
import { isoClock } from '../runner/active'
import { type Line, writeJournal } from '../runner/journal'
import type { ClusterServers } from '../cluster-api/servers'
import { duty } from '../cluster-api/sign-in'
import type { Signed } from '../cluster-api/signing'

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

/** The name of a user, a group or a service account, as tokens bear it. */
export const subjectText = z
  .string()
  .regex(/^[A-Za-z0-9][\w@.:-]{0,252}$/, 'Letters, digits, and - _ . : @ between.')

/** For whom an access file is, and for how long. */
export interface AccessAsked {
  /** `duty`, the name of a user, or a service account as `system:serviceaccount:NAMESPACE:NAME`. */
  readonly as?: string | undefined
  /** Groups that the user is in. */
  readonly groups?: readonly string[] | undefined
  readonly seconds?: number | undefined
}

const reserved = 'system:'

/** Refuses names that the API keeps for itself. */
function signedFor({ as = duty, groups = [] }: AccessAsked): Signed {
  const account = accountOf(as)
  if (as.startsWith(reserved) && account === null)
    throw new Refusal('invalid', `Nobody is signed in as ${as}.`, [
      {
        path: 'as',
        says: `names that begin with ${reserved} are the API’s own; a service account is ${reserved}serviceaccount:NAMESPACE:NAME`,
      },
    ])
  const own = groups.find((group) => group.startsWith(reserved))
  if (own !== undefined)
    throw new Refusal('invalid', `Nobody is put into ${own}.`, [
      { path: 'groups', says: `names that begin with ${reserved} are the API’s own` },
    ])
  if (groups.length > 0 && (account !== null || as === duty))
    throw new Refusal('invalid', `${as} is put into no groups.`, [
      {
        path: 'groups',
        says: account
          ? 'a service account is in the groups of its namespace alone'
          : 'duty may do everything as it is',
      },
    ])
  return { subject: as, groups }
}

/** Refuses a cluster that signs its people in without Gyrarch. */
function mustSign(cluster: ClusterView): void {
  if (cluster.reach)
    throw new Refusal(
      'conflict',
      `${cluster.name} was enrolled: Gyrarch signs nobody in there. Ask whoever runs it for an access file.`,
    )
}

/** Refuses while the API does not answer: a file that leads nowhere would only mislead. */
export async function accessFile(
  servers: ClusterServers,
  cluster: ClusterView,
  asked: AccessAsked = {},
): Promise<AccessFile> {
  mustSign(cluster)
  if (!cluster.apiAnswers)
    throw new Refusal(
      'unavailable',
      `The API of ${cluster.name} does not answer, so there is nothing to get access to. Ask again when it does.`,
    )
  const signed = signedFor(asked)
  const { seconds = usualSeconds } = asked
  const { server, authority, token } = await servers.handOut(cluster, signed, seconds)
  const { subject } = signed
  if (token === null)
    throw new Refusal('not-found', `${cluster.name} has no such service account: ${subject}.`, [
      { path: 'as', says: 'is no service account of this cluster' },
    ])
  const user = `${subject}@${cluster.name}`
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
    yaml: `# Access to ${cluster.name} as ${subject}, until ${expiresWall}.\n${writeYaml(document)}`,
    expiresWall,
  }
}

interface Parts {
  readonly clusterServers: ClusterServers
  cluster(name: string): Promise<ClusterView>
}

/** The same, written down in the journal. */
export async function giveAccess(
  gyrarch: Parts & { journalLine(line: Line): Promise<void> },
  name: string,
  asked: AccessAsked = {},
): Promise<AccessFile> {
  const file = await accessFile(gyrarch.clusterServers, await gyrarch.cluster(name), asked)
  const { as = duty } = asked
  await gyrarch.journalLine({
    kind: 'access.given',
    params: { cluster: name, as, until: file.expiresWall },
    about: `cluster/${name}`,
    says: `access file of ${name} handed out for ${as}, valid until ${file.expiresWall}`,
  })
  return file
}

/** Every file that a subject was given for a cluster is no good any more, from now on. */
export async function callBackAccess(
  gyrarch: Parts & { readonly hub: Hub; readonly outside: { readonly now: number } },
  name: string,
  as = duty,
): Promise<void> {
  const cluster = await gyrarch.cluster(name)
  mustSign(cluster)
  const { subject } = signedFor({ as })
  await gyrarch.clusterServers.callBack(cluster, subject, (transaction) =>
    writeJournal(gyrarch.hub, transaction, isoClock(gyrarch.outside.now), [
      {
        kind: 'access.called-back',
        params: { cluster: name, as },
        about: `cluster/${name}`,
        says: `access to ${name} that ${as} was given is called back`,
      },
    ]),
  )
}
