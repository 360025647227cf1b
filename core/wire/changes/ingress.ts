/** A host and path led to a service: `wire.ingress`, written as an HTTPRoute; with the name record that leads to it. */
import { dnsLabel } from '../../objects/dns-label'
import { command } from '../../contract'
import { z } from 'zod'
import { caution, note, type RawFinding, ref, type Step, stop } from '../../changes'
import { type ClusterView, type FleetView, listedObjects, siteOf, type SiteView } from '../../fleet'
import { type HttpRouteObject, objectOfKind, ofKind, type ServiceObject } from '../../objects'
import { step } from '../../provisioning/steps'
import { readRoutes } from '..'
import type { WrittenObject } from '../../manifests/parse'
import { objectNamed, writes } from './written'
import { said } from './says'
import { quoted } from '../../contract'

const name = z.string().regex(dnsLabel, 'Small letters, digits and -, up to 63.')

export const ingressIntent = z.strictObject({
  cluster: z.string().max(253),
  namespace: z.string().max(63),
  name,
  host: z.string().trim().min(1, 'Give a host name.').max(253),
  path: z.string().max(2000).startsWith('/', 'A path begins with a slash.').default('/'),
  service: z.string().max(63).default(''),
  port: z.int().min(1).max(65_535).optional(),
  /** Whether the site’s name server gets a record of the host, at the cluster’s virtual address. */
  record: z.boolean().default(false),
  remove: z.boolean().default(false),
})
export type IngressIntent = z.infer<typeof ingressIntent>

/** The virtual address behind which a cluster’s ingress stands, where it has one. */
export function ingressAddress(view: FleetView, cluster: string): string | null {
  const site = siteOf(
    view,
    view.clusters.find((candidate) => candidate.name === cluster)?.site ?? '',
  )
  return (
    site?.balancers.find(
      (balancer) => balancer.cluster === cluster && balancer.service === 'platform/ingress',
    )?.address ?? null
  )
}

const serviceOf = (intent: IngressIntent, view: FleetView): ServiceObject | undefined =>
  objectOfKind(
    listedObjects(view, intent.cluster),
    'Service',
    `${intent.namespace}/${intent.service}`,
  )

function objectOf(intent: IngressIntent, view: FleetView): WrittenObject & HttpRouteObject {
  const port = intent.port ?? serviceOf(intent, view)?.spec?.ports?.[0]?.port
  return {
    apiVersion: 'gateway.networking.k8s.io/v1',
    kind: 'HTTPRoute',
    metadata: { name: intent.name, namespace: intent.namespace },
    spec: {
      hostnames: [intent.host],
      rules: [
        {
          matches: [{ path: { type: 'PathPrefix', value: intent.path } }],
          backendRefs: [
            { name: intent.service, ...(port === undefined ? {} : { port }), weight: 1 },
          ],
        },
      ],
    },
  }
}

/** The name of a host below its site’s domain, or null where it lies elsewhere. */
const labelAt = (host: string, site: SiteView | undefined): string | null =>
  site && host.endsWith(`.${site.nameDomain}`) ? host.slice(0, -site.nameDomain.length - 1) : null

function recordStep(intent: IngressIntent, view: FleetView): readonly Step[] {
  const address = ingressAddress(view, intent.cluster)
  const site = siteOf(
    view,
    view.clusters.find((cluster) => cluster.name === intent.cluster)?.site ?? '',
  )
  const label = labelAt(intent.host, site)
  if (!intent.record || intent.remove || !site || address === null || label === null) return []
  const records = [
    ...site.records.filter((record) => record.name !== label),
    { name: label, type: 'A', ttl: 300, value: address },
  ]
  return [
    step({
      id: 'record',
      after: ['write'],
      group: site.name,
      says: `${intent.host} is ${address}`,
      command: command('records.set', { site: site.name, records }),
      undo: command('records.set', { site: site.name, records: site.records }),
      seconds: { likely: 8, worst: 20 },
    }),
  ]
}

const hostForm = /^(\*\.)?([a-z0-9]([-a-z0-9]*[a-z0-9])?\.)*[a-z0-9]([-a-z0-9]*[a-z0-9])?$/

function checkHost(intent: IngressIntent, view: FleetView): readonly RawFinding[] {
  const read = readRoutes([{ object: objectOf(intent, view), path: '' }])
  if (!read.ok)
    return [
      stop(
        'host.readable',
        read.path.includes('hostnames') ? 'host' : 'path',
        quoted('route.unreadable', read.says),
      ),
    ]
  return hostForm.test(intent.host)
    ? []
    : [stop('host.readable', 'host', said('host.readable', { host: intent.host.slice(0, 80) }))]
}

/** The service is there and has the port. */
function checkService(
  intent: IngressIntent,
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const { namespace, port } = intent
  const service = serviceOf(intent, view)
  if (!service) {
    const services = ofKind(listedObjects(view, cluster.name), 'Service')
      .filter(({ metadata }) => metadata.namespace === namespace)
      .map(({ metadata }) => metadata.name)
    return [
      stop(
        'service.known',
        'service',
        said('callers.service', { namespace, service: intent.service || '(none chosen)' }),
        [{ ...said('services', { services }), source: cluster.name, at: cluster.observedAt }],
      ),
    ]
  }
  const ports = (service.spec?.ports ?? []).map((candidate) => candidate.port)
  if (port === undefined || ports.includes(port)) return []
  return [
    stop(
      'service.port',
      'port',
      said('service.port', { service: intent.service, port, ports: ports.map(String) }),
    ),
  ]
}

/** Whether a route leads the same path of the same host somewhere. */
const leadsSame = ({ spec }: HttpRouteObject, { host, path }: IngressIntent): boolean =>
  (spec?.hostnames ?? []).includes(host) &&
  (spec?.rules ?? [])
    .flatMap((rule) => rule.matches ?? [{}])
    .some(
      (match) =>
        (match.path?.type ?? 'PathPrefix') === 'PathPrefix' && (match.path?.value ?? '/') === path,
    )

function checkTaken(
  intent: IngressIntent,
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const { host, path } = intent
  return ofKind(listedObjects(view, cluster.name), 'HTTPRoute')
    .filter((route) => leadsSame(route, intent))
    .map(({ metadata }) => `${metadata.namespace ?? 'default'}/${metadata.name}`)
    .filter((key) => key !== `${intent.namespace}/${intent.name}`)
    .map((key) =>
      caution(`route.same.${key}`, 'host', said('host-taken', { theirs: key, host, path }), [
        { ...said('route', { route: key }), source: cluster.name, at: cluster.observedAt },
      ]),
    )
}

/** The cluster has an address for what comes in, and the host’s name leads to it. */
function checkWayIn(
  { host, record: writesRecord }: IngressIntent,
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const address = ingressAddress(view, cluster.name)
  if (address === null)
    return [
      caution('ingress.address', 'cluster', said('ingress.address', { cluster: cluster.name }), [
        { ...said('no-balancer-before'), source: cluster.site },
      ]),
    ]
  const site = siteOf(view, cluster.site)
  const label = labelAt(host, site)
  const record = site?.records.find((candidate) => candidate.name === label)
  if (writesRecord || record?.value === address) return []
  const says = record
    ? said('record.missing.name-server-not', {
        host,
        record: record.value,
        site: cluster.site,
        address,
      })
    : said('record.missing.no-name-record', { site: cluster.site, host })
  const because = [
    { ...said('records', { recordsCount: site?.records.length ?? 0 }), source: cluster.site },
  ]
  const offer = {
    says: `Write the record: ${host} is ${address}`,
    change: { patchDraft: [{ op: 'add' as const, path: '/record', value: true }] },
  }
  return [note('record.missing', 'record', says, because, label === null ? [] : [offer])]
}

export const wireIngress = writes<IngressIntent>({
  name: 'wire.ingress',
  title: 'Lead a host to a service',
  intent: ingressIntent,
  cluster: (intent) => intent.cluster,
  subject: (intent) => ref('httproute', intent.cluster, intent.namespace, intent.name),
  label: (intent) =>
    intent.remove
      ? `no longer lead ${intent.host || 'a host'}`
      : `lead ${intent.host || 'a host'}${intent.path === '/' ? '' : intent.path} to ${intent.service || 'a service'}`,
  check: (intent, cluster, view): readonly RawFinding[] => {
    const key = `${intent.namespace}/${intent.name}`
    if (intent.remove)
      return objectNamed(view, cluster.name, 'HTTPRoute', key)
        ? []
        : [
            stop(
              'route.known',
              'name',
              said('route.known.no-route', { cluster: cluster.name, key }),
            ),
          ]
    if (!cluster.namespaces.includes(intent.namespace))
      return [
        stop(
          'namespace.known',
          'namespace',
          said('namespace.known', {
            cluster: cluster.name,
            namespace: intent.namespace || '(none chosen)',
          }),
        ),
      ]
    return [
      ...checkHost(intent, view),
      ...checkService(intent, cluster, view),
      ...checkTaken(intent, cluster, view),
      ...checkWayIn(intent, cluster, view),
    ]
  },
  puts: (intent, view) => (intent.remove ? [] : [objectOf(intent, view)]),
  removes: (intent) =>
    intent.remove
      ? [
          {
            apiVersion: 'gateway.networking.k8s.io/v1',
            kind: 'HTTPRoute',
            metadata: { name: intent.name, namespace: intent.namespace },
          },
        ]
      : [],
  says: (intent) =>
    intent.remove
      ? `${intent.host} is led nowhere`
      : `${intent.host}${intent.path} goes to ${intent.service}`,
  more: recordStep,
  prove: (intent, objects) => {
    const there = objects.some(
      (object) =>
        object.kind === 'HTTPRoute' &&
        object.metadata?.name === intent.name &&
        object.metadata.namespace === intent.namespace,
    )
    return [
      {
        says: `the route is ${intent.remove ? 'gone' : 'there'}`,
        holds: there !== intent.remove,
        observed: there ? 'there' : 'not there',
      },
    ]
  },
})
