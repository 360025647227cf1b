/** What a cluster says of what it serves: groups, their versions, their resources, one by one or all at once. */
import { apiVersionOf, reviewGroup, reviews, type Served } from './resources'

type Json = Record<string, unknown>

interface Told {
  readonly group: string
  readonly version: string
  readonly resources: readonly Json[]
  readonly aggregated: readonly Json[]
}

function plainOf({ resource }: Served): readonly Json[] {
  const { plural, kind, isNamespaced, verbs, shortNames } = resource
  return [
    {
      name: plural,
      singularName: kind.toLowerCase(),
      namespaced: isNamespaced,
      kind,
      verbs,
      ...(shortNames.length > 0 ? { shortNames } : {}),
    },
    ...resource.subresources.map((sub) => {
      const [group, version] = sub.apiVersion?.split('/') ?? []
      return {
        name: `${plural}/${sub.name}`,
        singularName: '',
        namespaced: isNamespaced,
        ...(group === undefined ? {} : { group, version }),
        kind: sub.kind,
        verbs: sub.verbs,
      }
    }),
  ]
}

const kindOf = (apiVersion: string, kind: string): Json => {
  const [group = '', version = ''] = apiVersion.includes('/')
    ? apiVersion.split('/')
    : ['', apiVersion]
  return { group, version, kind }
}

function aggregatedOf(served: Served): Json {
  const { resource } = served
  return {
    resource: resource.plural,
    responseKind: kindOf(apiVersionOf(served), resource.kind),
    scope: resource.isNamespaced ? 'Namespaced' : 'Cluster',
    singularResource: resource.kind.toLowerCase(),
    verbs: resource.verbs,
    ...(resource.shortNames.length > 0 ? { shortNames: resource.shortNames } : {}),
    subresources: resource.subresources.map((sub) => ({
      subresource: sub.name,
      responseKind: kindOf(sub.apiVersion ?? apiVersionOf(served), sub.kind),
      verbs: sub.verbs,
    })),
  }
}

const reviewsTold = (): Told => ({
  group: reviewGroup,
  version: 'v1',
  resources: reviews.map((kind) => ({
    name: `${kind.toLowerCase()}s`,
    singularName: kind.toLowerCase(),
    namespaced: false,
    kind,
    verbs: ['create'],
  })),
  aggregated: reviews.map((kind) => ({
    resource: `${kind.toLowerCase()}s`,
    responseKind: { group: reviewGroup, version: 'v1', kind },
    scope: 'Cluster',
    singularResource: kind.toLowerCase(),
    verbs: ['create'],
    subresources: [],
  })),
})

function toldOf(served: readonly Served[]): readonly Told[] {
  const versions = new Map<string, Served[]>()
  for (const each of served) {
    const key = apiVersionOf(each)
    versions.set(key, [...(versions.get(key) ?? []), each])
  }
  const told = [...versions.values()].map((each): Told => ({
    group: each[0]?.group ?? '',
    version: each[0]?.version ?? '',
    resources: each.flatMap(plainOf),
    aggregated: each.map(aggregatedOf),
  }))
  return [...told, reviewsTold()]
}

const groupVersion = ({ group, version }: Pick<Told, 'group' | 'version'>) => ({
  groupVersion: `${group}/${version}`,
  version,
})

function groupObject(group: string, versions: readonly Told[]): Json {
  return {
    name: group,
    versions: versions.map(groupVersion),
    preferredVersion: versions[0] ? groupVersion(versions[0]) : undefined,
  }
}

const isCore = ({ group }: Told): boolean => group === ''

function grouped(told: readonly Told[]): ReadonlyMap<string, readonly Told[]> {
  const groups = new Map<string, Told[]>()
  for (const each of told) groups.set(each.group, [...(groups.get(each.group) ?? []), each])
  return groups
}

const aggregatedType = 'apidiscovery.k8s.io'

/** Whether a request takes discovery all at once. */
export const takesAggregated = (accept: string): boolean =>
  accept
    .split(',')
    .some(
      (entry) =>
        /g=apidiscovery\.k8s\.io/.test(entry) &&
        /v=v2(?!\w)/.test(entry) &&
        /as=APIGroupDiscoveryList/.test(entry),
    )

export const aggregatedContentType =
  'application/json;g=apidiscovery.k8s.io;v=v2;as=APIGroupDiscoveryList'

function aggregated(told: readonly Told[]): Json {
  return {
    kind: 'APIGroupDiscoveryList',
    apiVersion: `${aggregatedType}/v2`,
    metadata: {},
    items: [...grouped(told)].map(([group, versions]) => ({
      metadata: { name: group, creationTimestamp: null },
      versions: versions.map((each) => ({
        version: each.version,
        resources: each.aggregated,
        freshness: 'Current',
      })),
    })),
  }
}

/** What is told at a path of discovery, or null for any other path. */
export function discovery(
  path: string,
  served: readonly Served[],
  address: string,
  isAggregated: boolean,
): Json | null {
  const told = toldOf(served)
  if (path === '/api') {
    if (isAggregated) return aggregated(told.filter(isCore))
    return {
      kind: 'APIVersions',
      versions: ['v1'],
      serverAddressByClientCIDRs: [{ clientCIDR: '0.0.0.0/0', serverAddress: address }],
    }
  }
  const others = told.filter((each) => !isCore(each))
  if (path === '/apis') {
    if (isAggregated) return aggregated(others)
    const groups = [...grouped(others)].map(([group, versions]) => groupObject(group, versions))
    return { kind: 'APIGroupList', apiVersion: 'v1', groups }
  }
  const [, root, first = '', second] = path.split('/')
  if (root === 'api' && second === undefined && first === 'v1')
    return resourceList('v1', told.find(isCore))
  if (root !== 'apis') return null
  const versions = others.filter(({ group }) => group === first)
  if (versions.length === 0) return null
  if (second === undefined)
    return { kind: 'APIGroup', apiVersion: 'v1', ...groupObject(first, versions) }
  const match = versions.find(({ version }) => version === second)
  return match && path.split('/').length === 4 ? resourceList(`${first}/${second}`, match) : null
}

const resourceList = (version: string, told: Told | undefined): Json => ({
  kind: 'APIResourceList',
  apiVersion: 'v1',
  groupVersion: version,
  resources: told?.resources ?? [],
})
