/**
 * Admission webhooks: before an API takes what is written, it calls whoever a configuration names. The call goes the way
 * of packets from the control plane to the service behind the webhook; where it does not arrive, what is to be written
 * is refused or not, as the configuration says. Those that answer allow everything, but for one that is behind.
 */
import { parseAddress } from '../../core/addresses'
import { resourcesOf } from '../../core/objects'
import { agedWebhook, isBeyondGate } from '../cluster/aged-gate'
import { list, record as fields, text } from '../cluster/manifests'
import type { Sim } from '../engine/sim'
import type { Cluster, Manifest } from '../world'
import type { Sender } from './packet'
import { send } from './path'
import { namespaceLabels, selects } from './policies'
import { addressNamed } from './reach'
import { said } from './says'

const kinds = ['ValidatingWebhookConfiguration', 'MutatingWebhookConfiguration']

const configured = new WeakMap<readonly Manifest[], readonly Manifest[]>()

/** Configurations among the objects of a cluster: looked up once for each list of them. */
function configurations(cluster: Cluster): readonly Manifest[] {
  const objects = cluster.objects ?? []
  const before = configured.get(objects)
  if (before) return before
  const among = objects.filter((object) => kinds.includes(object.kind))
  configured.set(objects, among)
  return among
}

const names = (value: unknown): readonly string[] => list(value).map(String)
const takes = (listed: readonly string[], value: string): boolean =>
  listed.includes('*') || listed.includes(value)

function isAsked(
  cluster: Cluster,
  webhook: Readonly<Record<string, unknown>>,
  object: Manifest,
  operation: 'CREATE' | 'UPDATE',
): boolean {
  const [group, version] = object.apiVersion.includes('/')
    ? (object.apiVersion.split('/') as [string, string])
    : ['', object.apiVersion]
  const { namespace } = object.metadata
  return (
    list(webhook['rules'])
      .map(fields)
      .some(
        (rule) =>
          takes(names(rule['operations']), operation) &&
          takes(names(rule['apiGroups']), group) &&
          takes(names(rule['apiVersions']), version) &&
          takes(names(rule['resources']), resourcesOf(object.kind)),
      ) &&
    selects(webhook['objectSelector'] ?? {}, object.metadata.labels ?? {}) &&
    (namespace === undefined ||
      selects(webhook['namespaceSelector'] ?? {}, namespaceLabels(cluster, namespace)))
  )
}

/** Who calls: a node of the control plane, or, for a managed one, the node that its tunnel ends on. */
function caller(cluster: Cluster): Sender | null {
  const node =
    cluster.nodes.find(({ roles }) => roles.includes('control-plane')) ?? cluster.nodes[0]
  return node ? { cluster, node } : null
}

interface Call {
  readonly url: string
  /** Why it does not arrive, in the words of the API; null where it does. */
  readonly failed: string | null
}

const tooLate = 'context deadline exceeded'

/** Whether the webhooks of a cluster answer later than its API waits. */
const isSlow = (sim: Sim, cluster: Cluster): boolean =>
  sim.world.faults.some(
    ({ kind, about }) => kind === 'gate-slow' && about.split('/')[1] === cluster.name,
  )

function call(sim: Sim, cluster: Cluster, webhook: Readonly<Record<string, unknown>>): Call {
  const config = fields(webhook['clientConfig'])
  const service = fields(config['service'])
  const seconds = Number(webhook['timeoutSeconds'] ?? 10)
  const from = caller(cluster)
  if (Object.keys(service).length > 0) {
    const [namespace, name] = [text(service['namespace']), text(service['name'])]
    const port = Number(service['port'] ?? 443)
    const url = `https://${name}.${namespace}.svc:${port}${text(service['path'])}?timeout=${seconds}s`
    const entry = cluster.serviceList.find(
      (candidate) => candidate.namespace === namespace && candidate.name === name,
    )
    if (!entry) return { url, failed: `service "${name}" not found` }
    const fare = from && send(sim.world, from, entry.address, port)
    if (fare?.arrived) return { url, failed: isSlow(sim, cluster) ? tooLate : null }
    return {
      url,
      failed: fare?.at === 'service' ? `no endpoints available for service "${name}"` : tooLate,
    }
  }
  const url = text(config['url'])
  const host = /^https:\/\/(\[[^\]]+\]|[^:/]+)(?::(\d+))?/.exec(url)
  const site = sim.site(cluster.site)
  const asked = (host?.[1] ?? '').replace(/^\[|\]$/g, '')
  const address = parseAddress(asked).ok ? asked : site && addressNamed(sim, site, asked)
  if (!address) return { url, failed: `dial tcp: lookup ${asked}: no such host` }
  const arrived = from && send(sim.world, from, address, Number(host?.[2] ?? 443)).arrived
  return { url, failed: arrived ? null : tooLate }
}

/** What a webhook that is behind says to an object in a version that it does not know; null to any other. */
function refusal(sim: Sim, cluster: Cluster, webhook: string, object: Manifest) {
  const isBehind =
    webhook === agedWebhook &&
    sim.world.faults.some(
      ({ kind, about }) => kind === 'gate-behind' && about === `cluster/${cluster.name}`,
    )
  if (!isBehind || !isBeyondGate(object)) return null
  const { kind, apiVersion } = object
  return said('webhook-denies', { webhook, kind, apiVersion })
}

/** Why an API does not take an object: a webhook that it must ask is not reached, or refuses it; null where it does. */
export function webhookAgainst(
  sim: Sim,
  cluster: Cluster,
  object: Manifest,
  operation: 'CREATE' | 'UPDATE',
): ReturnType<typeof said> | null {
  if (kinds.includes(object.kind)) return null
  for (const configuration of configurations(cluster))
    for (const webhook of list(configuration['webhooks']).map(fields)) {
      if (!isAsked(cluster, webhook, object, operation)) continue
      const name = text(webhook['name'])
      const refused = refusal(sim, cluster, name, object)
      if (webhook['failurePolicy'] === 'Ignore' && !refused) continue
      const { url, failed } = call(sim, cluster, webhook)
      if (failed === null && refused) return refused
      if (failed !== null && webhook['failurePolicy'] !== 'Ignore')
        return said('webhook-not-reached', { webhook: name, url, failed })
    }
  return null
}
