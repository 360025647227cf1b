/** Changes of a spec that take a cause away; each is tried by looking again at what it leaves. */
import { applyJsonPatch, isRecord, type Json, list, record, records, text } from '../objects'
import type { CauseCode, DiagnosisRemedy, PolicyOpening } from './causes'
import { type Evidence, type Fact, type Ref, refOfObject } from './facts'
import { said } from './says'
import { allowing, letting, placing } from './spec-remedies'

/** Where an object stands in the input, lists opened. */
function placeOf(
  objects: readonly unknown[],
  ref: Ref,
  above = '/objects',
  kind = '',
): { readonly path: string; readonly object: Json } | null {
  for (const [index, given] of objects.entries()) {
    const object = kind === '' ? record(given) : { kind, ...record(given) }
    const path = `${above}/${index}`
    const own = text(object['kind'])
    if (own.endsWith('List') && Array.isArray(object['items'])) {
      const inner = placeOf(list(object['items']), ref, `${path}/items`, own.slice(0, -4))
      if (inner) return inner
    } else if (refOfObject(object) === ref) return { path, object }
  }
  return null
}

const open = ({
  path,
  object,
}: {
  readonly path: string
  readonly object: Json
}): DiagnosisRemedy => ({
  says: said('remedy.open', { node: text(record(object['metadata'])['name']) }).says,
  patch: [{ op: 'replace', path: `${path}/spec/unschedulable`, value: false }],
})

/** How many letters two texts begin with alike. */
function alike(a: string, b: string): number {
  let length = 0
  while (length < a.length && a[length] === b[length]) length++
  return length
}

/** Labels of pods in the namespace that differ from a selector in one value. */
function select(
  objects: readonly Json[],
  { path, object }: { readonly path: string; readonly object: Json },
): readonly DiagnosisRemedy[] {
  const selector = record(record(object['spec'])['selector'])
  const namespace = record(object['metadata'])['namespace']
  const counts = new Map<string, { key: string; value: string; pods: number }>()
  for (const pod of objects) {
    if (pod['kind'] !== 'Pod' || record(pod['metadata'])['namespace'] !== namespace) continue
    const labels = record(record(pod['metadata'])['labels'])
    const apart = Object.keys(selector).filter((key) => labels[key] !== selector[key])
    const [key] = apart
    const value = key === undefined ? '' : text(labels[key])
    if (key === undefined || apart.length !== 1 || value === '') continue
    const before = counts.get(`${key}=${value}`)
    counts.set(`${key}=${value}`, { key, value, pods: (before?.pods ?? 0) + 1 })
  }
  const likeness = ({ key, value }: { readonly key: string; readonly value: string }): number =>
    alike(value, text(selector[key]))
  const nearest = [...counts.values()].toSorted(
    (a, b) => likeness(b) - likeness(a) || b.pods - a.pods,
  )
  return nearest.slice(0, 3).map(({ key, value, pods }) => ({
    says: said('remedy.selector', { label: `${key}=${value}`, pods }).says,
    patch: [
      {
        op: 'replace',
        path: `${path}/spec/selector/${key.replace(/~/g, '~0').replace(/\//g, '~1')}`,
        value,
      },
    ],
  }))
}

/** Ports that the pods behind a service declare. */
function lead(
  objects: readonly Json[],
  { path, object }: { readonly path: string; readonly object: Json },
): readonly DiagnosisRemedy[] {
  const spec = record(object['spec'])
  const selector = Object.entries(record(spec['selector']))
  const declared = objects
    .filter(
      (pod) =>
        pod['kind'] === 'Pod' &&
        selector.every(([key, value]) => record(record(pod['metadata'])['labels'])[key] === value),
    )
    .flatMap((pod) =>
      records(record(pod['spec'])['containers']).flatMap((container) =>
        records(container['ports']),
      ),
    )
    .map((port) => port['containerPort'])
  const isThere = (port: unknown): boolean => declared.includes(port)
  const index = records(spec['ports']).findIndex(
    (port) => !isThere(port['targetPort'] ?? port['port']),
  )
  if (index < 0) return []
  return [...new Set(declared)].slice(0, 3).map((port) => ({
    says: said('remedy.port', { port: String(port) }).says,
    patch: [{ op: 'add', path: `${path}/spec/ports/${index}/targetPort`, value: port }],
  }))
}

/** What the facts speak for once the objects are others. */
export type Look = (
  objects: readonly unknown[],
) => readonly { readonly cause: CauseCode; readonly about: Ref }[]

/** A cause that remedies are looked for. */
export interface Remediable {
  readonly cause: CauseCode
  readonly about: Ref
  readonly because: readonly Fact[]
  readonly opening?: PolicyOpening
}

function offered(
  { cause, about, opening }: Remediable,
  given: readonly unknown[],
  evidence: Evidence,
): readonly DiagnosisRemedy[] {
  const isOffered =
    cause === 'no-match' || cause === 'port-wrong' || cause === 'cordoned' || opening !== undefined
  const place = isOffered ? placeOf(given, about) : null
  if (!place) return []
  if (opening) return letting(place.object, place.path, opening)
  if (cause === 'cordoned') return place.object['kind'] === 'Node' ? [open(place)] : []
  return cause === 'no-match' ? select(evidence.objects, place) : lead(evidence.objects, place)
}

/** Remedies that recompute by themselves, whatever was told before: placing again, a quota’s sum. */
function recomputed(
  { cause, about, because }: Remediable,
  given: readonly unknown[],
  evidence: Evidence,
): readonly DiagnosisRemedy[] {
  if (cause !== 'quota') return placing(evidence, cause, about, given)
  const place = about.startsWith('resourcequota/') ? placeOf(given, about) : null
  return place ? allowing(place.object, place.path, because) : []
}

/** Remedies of a cause that, applied, leave it out of what `look` finds; or that recompute by themselves. */
export function provenRemedies(
  of: Remediable,
  given: readonly unknown[],
  evidence: Evidence,
  look: Look,
): readonly DiagnosisRemedy[] {
  const proven = offered(of, given, evidence).filter(({ patch }) => {
    const patched = applyJsonPatch({ objects: given }, patch)
    const after = patched.ok ? patched.value : null
    if (!isRecord(after) || !Array.isArray(after['objects'])) return false
    return !look(after['objects']).some(
      ({ cause, about }) => cause === of.cause && about === of.about,
    )
  })
  return [...proven, ...recomputed(of, given, evidence)].slice(0, 3)
}
