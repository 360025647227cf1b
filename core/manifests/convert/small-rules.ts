/** Kinds of which little changes: webhook configurations, endpoint slices, flow control, signing requests, budgets, reviews. */
import { isMap, isScalar, type YAMLMap } from 'yaml'
import type { Conversion } from './conversion'
import { said } from './says'
import { isEmptySelector } from './workloads'

/** To `admissionregistration.k8s.io/v1`. */
export function convertWebhooks(conversion: Conversion): void {
  const seen = new Set<string>()
  for (const { map, path } of conversion.mapsAt(conversion.root, 'webhooks', 'webhooks')) {
    const webhook = conversion.text(map, 'name') ?? '?'
    if (seen.has(webhook)) conversion.ask(said('webhook-twice', { webhook }))
    seen.add(webhook)
    const effects = conversion.text(map, 'sideEffects') ?? ''
    if (effects !== 'None' && effects !== 'NoneOnDryRun')
      conversion.ask(said('side-effects', { webhook, has: effects }))
    conversion.default(map, path, 'failurePolicy', 'Ignore')
    conversion.default(map, path, 'matchPolicy', 'Exact')
    conversion.default(map, path, 'timeoutSeconds', 30)
    conversion.default(
      map,
      path,
      'admissionReviewVersions',
      { words: ['v1beta1'] },
      'admissionReviewVersions: [v1beta1]',
    )
  }
}

const placeOf: Readonly<Record<string, string>> = {
  'kubernetes.io/hostname': 'nodeName',
  'topology.kubernetes.io/zone': 'zone',
}

function convertTopology(conversion: Conversion, endpoint: YAMLMap, path: string): void {
  const here = `${path}.topology`
  const topology = conversion.mapAt(endpoint, 'topology', here)
  if (!topology) return conversion.remove(endpoint, path, 'topology')
  const moved = topology.items.flatMap(({ key }) => {
    const name = isScalar(key) ? String(key.value) : ''
    const to = placeOf[name]
    if (to === undefined || !conversion.isAbsent(endpoint, to)) {
      conversion.note(`${here}.${name}`, said('topology-gone', { key: name }))
      return []
    }
    conversion.note(`${here}.${name}`, said('moved', { from: name, to }))
    return conversion.taken(topology, name, to)
  })
  const edited = conversion.editor.map(endpoint)
  for (const entry of [...moved].reverse()) edited.add(entry, 'topology')
  edited.remove('topology')
}

/** To `discovery.k8s.io/v1`. */
export function convertEndpoints(conversion: Conversion): void {
  for (const { map, path } of conversion.mapsAt(conversion.root, 'endpoints', 'endpoints'))
    if (map.get('topology', true) !== undefined) convertTopology(conversion, map, path)
}

/** To `flowcontrol.apiserver.k8s.io/v1`. */
export function convertPriorityLevel(conversion: Conversion): void {
  const spec = conversion.mapAt(conversion.root, 'spec', 'spec')
  const limited = spec && conversion.mapAt(spec, 'limited', 'spec.limited')
  if (!limited) return
  for (const field of ['assuredConcurrencyShares', 'nominalConcurrencyShares']) {
    const shares = conversion.scalar(limited, field)
    if (shares?.value !== 0) continue
    conversion.editor.replace(shares, 30)
    conversion.note(`spec.limited.${field}`, said('shares-meant'))
  }
  if (limited.get('assuredConcurrencyShares', true) === undefined) return
  if (conversion.isAbsent(limited, 'nominalConcurrencyShares'))
    conversion.rename(
      limited,
      'spec.limited',
      'assuredConcurrencyShares',
      'nominalConcurrencyShares',
    )
  else conversion.remove(limited, 'spec.limited', 'assuredConcurrencyShares')
}

/** To `certificates.k8s.io/v1`. */
export function convertSigningRequest(conversion: Conversion): void {
  const spec = conversion.node(conversion.root, 'spec')
  const signer = isMap(spec) ? conversion.text(spec, 'signerName') : null
  if (signer === null || signer === '') conversion.ask(said('signer-none'))
  if (signer === 'kubernetes.io/legacy-unknown') conversion.ask(said('signer-legacy'))
  const usages = isMap(spec) ? conversion.value(spec, 'usages') : null
  if (!Array.isArray(usages) || usages.length === 0) conversion.ask(said('usages-none'))
}

/** To `policy/v1`. */
export function convertBudget(conversion: Conversion): void {
  const spec = conversion.node(conversion.root, 'spec')
  if (isMap(spec) && isEmptySelector(conversion.value(spec, 'selector')))
    conversion.ask(said('selector-empty'))
}

/** To `authorization.k8s.io/v1`. */
export function convertReview(conversion: Conversion): void {
  const spec = conversion.mapAt(conversion.root, 'spec', 'spec')
  if (spec && spec.get('group', true) !== undefined)
    conversion.rename(spec, 'spec', 'group', 'groups')
}

/** What has another version and is otherwise as it was. */
export function convertNothing(_conversion: Conversion): void {
  // Its version is all that changes.
}
