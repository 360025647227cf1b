/** What Gyrarch shows of a cluster, and what of it an API offers. Secrets are not among it: their contents are nobody’s here. */
import { type Json, record, records, text, texts } from '~/core/objects'
import { type ApiClient, ApiRefusal } from './client'
import { Unreached } from './transport'

/** One list of an API. */
export interface Resource {
  /** Empty for the core group. */
  readonly apiGroup: string
  readonly version: string
  readonly plural: string
  readonly kind: string
  readonly isNamespaced: boolean
  /** As people and rights name it: `pods`, `deployments.apps`. */
  readonly name: string
  /** Where its list is, as a path. */
  readonly path: string
}

/** What is shown of each group; the rest an API offers is let be. */
export const shown: Readonly<Record<string, readonly string[]>> = {
  '': [
    'nodes',
    'pods',
    'namespaces',
    'events',
    'services',
    'configmaps',
    'serviceaccounts',
    'persistentvolumes',
    'persistentvolumeclaims',
    'resourcequotas',
    'limitranges',
  ],
  apps: ['deployments', 'statefulsets', 'daemonsets', 'replicasets'],
  batch: ['jobs', 'cronjobs'],
  autoscaling: ['horizontalpodautoscalers'],
  policy: ['poddisruptionbudgets'],
  'networking.k8s.io': ['networkpolicies', 'ingresses'],
  'rbac.authorization.k8s.io': ['roles', 'rolebindings', 'clusterroles', 'clusterrolebindings'],
  'storage.k8s.io': ['storageclasses', 'csinodes', 'volumeattachments'],
  'discovery.k8s.io': ['endpointslices'],
  'scheduling.k8s.io': ['priorityclasses'],
  'admissionregistration.k8s.io': [
    'validatingwebhookconfigurations',
    'mutatingwebhookconfigurations',
  ],
  'apiextensions.k8s.io': ['customresourcedefinitions'],
}

/** Without these there is nothing to show. */
export const needed: readonly string[] = ['nodes', 'pods', 'namespaces', 'events']

const listed = (group: string, version: string, answer: Json): readonly Resource[] =>
  records(answer['resources']).flatMap((entry) => {
    const plural = text(entry['name'])
    const verbs = texts(entry['verbs'])
    if (!(shown[group] ?? []).includes(plural) || !verbs.includes('list')) return []
    const base = group === '' ? `/api/${version}` : `/apis/${group}/${version}`
    return [
      {
        apiGroup: group,
        version,
        plural,
        kind: text(entry['kind']),
        isNamespaced: entry['namespaced'] === true,
        name: group === '' ? plural : `${plural}.${group}`,
        path: `${base}/${plural}`,
      },
    ]
  })

/** The version of a group in which it is read: the newest stable one of those that are served, else what is preferred. */
function versionOf(group: Json): string {
  const versions = records(group['versions']).map((version) => text(version['version']))
  const stable = versions
    .filter((version) => /^v\d+$/.test(version))
    .sort((a, b) => Number(b.slice(1)) - Number(a.slice(1)))
  return stable[0] ?? text(record(group['preferredVersion'])['version'])
}

/** What an API offers among what is shown. */
export async function discovered(
  client: ApiClient,
  signal: AbortSignal,
): Promise<readonly Resource[]> {
  const core = await client.get('/api/v1', signal)
  if (core['kind'] !== 'APIResourceList')
    throw new Unreached(
      'not-the-api',
      `${client.transport.address} is not the open API: /api/v1 lists no resources.`,
    )
  const groups = records((await client.get('/apis', signal))['groups']).filter((group) =>
    Object.hasOwn(shown, text(group['name'])),
  )
  const lists = await Promise.all(
    groups.map(async (group) => {
      const name = text(group['name'])
      const version = versionOf(group)
      try {
        return listed(name, version, await client.get(`/apis/${name}/${version}`, signal))
      } catch (error) {
        // A group whose server is down does without: the next look may find it.
        if (error instanceof ApiRefusal) return []
        throw error
      }
    }),
  )
  return [...listed('', 'v1', core), ...lists.flat()]
}

/** Whether whoever signs in may do something with a resource everywhere; by a self subject review. */
export async function mayDo(
  client: ApiClient,
  { apiGroup, plural }: Pick<Resource, 'apiGroup' | 'plural'>,
  verb: string,
  signal: AbortSignal,
): Promise<boolean> {
  const answer = await client.ask(
    'POST',
    '/apis/authorization.k8s.io/v1/selfsubjectaccessreviews',
    signal,
    {
      apiVersion: 'authorization.k8s.io/v1',
      kind: 'SelfSubjectAccessReview',
      spec: { resourceAttributes: { group: apiGroup, resource: plural, verb } },
    },
  )
  return record(answer['status'])['allowed'] === true
}
