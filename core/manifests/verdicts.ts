/**
 * What becomes of each object of a text on its way into a cluster, stage by stage: what the API says to it, whether its
 * images are there, whether its pods find a place, what is against it by policy, which address it gets, and who still
 * reaches whom. Every verdict is computed from the same checks that a draft is held against.
 */
import type { RawFinding } from '../changes'
import type { Said } from '../contract'
import { type ClusterView, type FleetView, listedObjects } from '../fleet'
import { record } from '../objects'
import { countText } from '../units'
import { type ApplyIntent, changesOf, documentsOf, rolling } from './apply-intent'
import type { ObjectChange } from './diff'
import { isClusterWide, objectKey, objectText, type WrittenObject } from './parse'
import { imagesOf, templateOf } from './references'
import { said } from './says'
import { wantedBy } from './wanted-pods'
import { webhooksFor } from './webhook-checks'
import { virtualAddresses } from './wiring-checks'

export const stages = ['api', 'registry', 'place', 'policy', 'address', 'walk'] as const
export type Stage = (typeof stages)[number]

/** `none`: the object does not go through that stage. `open`: not asked, because something before it stops the object. */
export type Outcome = 'passes' | 'caution' | 'stops' | 'open' | 'none'

export interface Verdict extends Said {
  readonly stage: Stage
  readonly outcome: Outcome
}

export interface ObjectVerdicts {
  readonly key: string
  readonly object: string
  /** Of the text, counted from 1. */
  readonly line: number
  readonly verdicts: readonly Verdict[]
}

/** Which stage a rule of a finding belongs to; the rule begins with one of these, then the key of the object follows. */
const stageOfRule: Readonly<Record<string, Stage>> = {
  invalid: 'api',
  version: 'api',
  kind: 'api',
  immutable: 'api',
  shrinks: 'api',
  selects: 'api',
  conflict: 'api',
  'conflict.taken': 'api',
  reference: 'api',
  image: 'registry',
  denied: 'registry',
  'image-rule': 'registry',
  place: 'place',
  pool: 'place',
  gated: 'place',
  claim: 'place',
  quota: 'policy',
  range: 'policy',
  sizes: 'policy',
  class: 'policy',
  webhook: 'policy',
  policy: 'policy',
  'node-port': 'address',
  ports: 'address',
  virtual: 'address',
}

const belongs = (rule: string, prefix: string, key: string): boolean =>
  rule === `${prefix}.${key}` ||
  rule.startsWith(`${prefix}.${key}.`) ||
  rule.startsWith(`${prefix}.${key}/`)

/** The stage and the object that a finding is about; null for what is about several objects or the text as a whole. */
function placeOf(
  rule: string,
  keys: readonly string[],
): { readonly stage: Stage; readonly key: string } | null {
  for (const [prefix, stage] of Object.entries(stageOfRule))
    for (const key of keys) if (belongs(rule, prefix, key)) return { stage, key }
  return null
}

interface Around {
  readonly intent: ApplyIntent
  readonly cluster: ClusterView
  readonly view: FleetView
}

function apiPasses(change: ObjectChange, { cluster }: Around): Said {
  if (change.kind === 'same') return said('verdict.same')
  return change.kind === 'make'
    ? said('verdict.made', { apiVersion: change.object.apiVersion, release: cluster.release })
    : said('verdict.changed', { fields: change.fields.length })
}

function registryPasses(object: WrittenObject, { cluster, view }: Around): Said | null {
  const images = imagesOf(object)
  if (images.length === 0) return null
  const site = view.sites.find(({ name }) => name === cluster.site)
  const hosts = view.sites.flatMap(({ domain, registry }) =>
    domain === site?.domain && registry ? [registry.host] : [],
  )
  const foreign = images.filter((image) => !hosts.some((host) => image.startsWith(`${host}/`)))
  return foreign.length === 0
    ? said('verdict.images', { images: images.length, hosts })
    : said('verdict.images-unseen', { images: foreign })
}

function placePasses(change: ObjectChange, { intent, view }: Around): Said | null {
  const { object } = change
  if (object.kind === 'PersistentVolumeClaim') return said('verdict.claim')
  if (!rolling.has(object.kind) && object.kind !== 'Pod') return null
  if (change.kind === 'same') return said('verdict.stays')
  const wanted = wantedBy(object, change, listedObjects(view, intent.cluster), [object])
  if (!wanted) return null
  if (wanted.isDaemon) return said('verdict.daemon')
  return wanted.pods.length === 0
    ? said('verdict.stays')
    : said('verdict.placed', { pods: wanted.pods.length, staying: wanted.staying })
}

function policyPasses(change: ObjectChange, { intent, view }: Around): Said | null {
  const { object } = change
  const live = listedObjects(view, intent.cluster)
  const asked = webhooksFor(object, change.kind === 'make', live)
  const namespace = isClusterWide(object.kind) ? null : (object.metadata.namespace ?? 'default')
  const here = (kind: string): number =>
    namespace === null
      ? 0
      : live.filter(
          (candidate) => candidate.kind === kind && candidate.metadata?.namespace === namespace,
        ).length
  const counted = templateOf(object) !== null || object.kind === 'Pod'
  const [quotas, limits] = counted ? [here('ResourceQuota'), here('LimitRange')] : [0, 0]
  return asked + quotas + limits === 0
    ? said('verdict.nothing-against')
    : said('verdict.within', {
        parts: [
          ...(quotas > 0 ? [countText(quotas, 'quota')] : []),
          ...(limits > 0 ? [countText(limits, 'limit range')] : []),
          ...(asked > 0 ? [countText(asked, 'webhook')] : []),
        ],
      })
}

function addressPasses(change: ObjectChange, around: Around): Said | null {
  const { object } = change
  const { intent, cluster, view } = around
  if (object.kind !== 'Service') return null
  const spec = record(object['spec'])
  if (spec['clusterIP'] === 'None') return said('verdict.headless')
  if (spec['type'] === 'ExternalName') return null
  if (change.kind !== 'make') return said('verdict.keeps-address')
  const virtual = virtualAddresses(intent, [object], cluster, view).get(objectKey(object))
  if (virtual?.ok === true) return said('verdict.virtual', { address: virtual.address })
  return said('verdict.address', { services: cluster.services })
}

/** What the walks say to an object; told by whoever can walk. Null where nothing walks to or from it. */
export type WalkVerdicts = (change: ObjectChange) => Omit<Verdict, 'stage'> | null

const worst = (findings: readonly RawFinding[]): RawFinding | undefined =>
  findings.find(({ level }) => level === 'stop') ??
  findings.find(({ level }) => level === 'caution')

/** The verdicts on every object of a text that reads. `findings` are what a check of the same draft has told. */
export function verdictsOn(
  intent: ApplyIntent,
  cluster: ClusterView,
  view: FleetView,
  findings: readonly RawFinding[],
  walked: WalkVerdicts,
): readonly ObjectVerdicts[] {
  const around: Around = { intent, cluster, view }
  const { documents } = documentsOf(intent)
  const lines = new Map(documents.map(({ object, line }) => [objectKey(object), line]))
  // The longest key first: a name may begin with another one.
  const keys = [...lines.keys()].sort((a, b) => b.length - a.length)
  const placed = findings.map((finding) => ({ finding, place: placeOf(finding.rule, keys) }))
  const isStopped = findings.some(({ level }) => level === 'stop')
  return changesOf(intent, view).map((change) => {
    const key = objectKey(change.object)
    const inNamespace = isClusterWide(change.object.kind)
      ? null
      : `namespace.${change.object.metadata.namespace ?? 'default'}`
    // A namespace that is not there stops every object in it.
    const at = (stage: Stage): readonly RawFinding[] =>
      placed.flatMap(({ finding, place }) =>
        (place?.key === key && place.stage === stage) ||
        (stage === 'api' && finding.rule === inNamespace)
          ? [finding]
          : [],
      )
    const passes: Readonly<Record<Stage, () => Said | null>> = {
      api: () => apiPasses(change, around),
      registry: () => registryPasses(change.object, around),
      place: () => placePasses(change, around),
      policy: () => policyPasses(change, around),
      address: () => addressPasses(change, around),
      walk: () => null,
    }
    return {
      key,
      object: objectText(change.object),
      line: lines.get(key) ?? 1,
      verdicts: stages.map((stage): Verdict => {
        const against = worst(at(stage))
        if (against)
          return {
            stage,
            outcome: against.level === 'stop' ? 'stops' : 'caution',
            code: against.code,
            params: against.params,
            says: against.says,
          }
        if (stage === 'walk') {
          const verdict = isStopped ? null : walked(change)
          return verdict
            ? { stage, ...verdict }
            : { stage, outcome: 'none', ...said('verdict.none') }
        }
        // Images and places are looked at only once the API would take everything.
        const isAsked = !isStopped || stage === 'api' || stage === 'address'
        const passed = passes[stage]()
        if (passed === null) return { stage, outcome: 'none', ...said('verdict.none') }
        return isAsked
          ? { stage, outcome: 'passes', ...passed }
          : { stage, outcome: 'open', ...said('verdict.open') }
      }),
    }
  })
}
