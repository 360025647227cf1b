/** Changes of a spec that take a cause away; each is tried by looking again at what it leaves. */
import { applyJsonPatch, isRecord, type Json, list, record, records, text } from '../objects'
import type { CauseCode } from './causes'
import { type Ref, refOfObject } from './facts'
import { said } from './says'

export interface Operation {
  readonly op: 'replace' | 'remove' | 'add'
  /** Below the input, as `/objects/3/spec/unschedulable`. */
  readonly path: string
  readonly value?: unknown
}

export interface DiagnosisRemedy {
  readonly says: string
  readonly patch: readonly Operation[]
}

/** Where an object stands in the input, lists opened. */
function placeOf(
  objects: readonly unknown[],
  ref: Ref,
  above = '/objects',
): { readonly path: string; readonly object: Json } | null {
  for (const [index, given] of objects.entries()) {
    const object = record(given)
    const path = `${above}/${index}`
    if (text(object['kind']).endsWith('List') && Array.isArray(object['items'])) {
      const inner = placeOf(list(object['items']), ref, `${path}/items`)
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
  return [...counts.values()].slice(0, 3).map(({ key, value, pods }) => ({
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

function offered(
  cause: CauseCode,
  about: Ref,
  given: readonly unknown[],
  objects: readonly Json[],
): readonly DiagnosisRemedy[] {
  if (cause !== 'cordoned' && cause !== 'no-match' && cause !== 'port-wrong') return []
  const place = placeOf(given, about)
  if (!place) return []
  if (cause === 'cordoned') return place.object['kind'] === 'Node' ? [open(place)] : []
  return cause === 'no-match' ? select(objects, place) : lead(objects, place)
}

/** Remedies of a cause that, applied, leave it out of what `look` finds. */
export function provenRemedies(
  of: { readonly cause: CauseCode; readonly about: Ref },
  given: readonly unknown[],
  objects: readonly Json[],
  look: (
    objects: readonly unknown[],
  ) => readonly { readonly cause: CauseCode; readonly about: Ref }[],
): readonly DiagnosisRemedy[] {
  return offered(of.cause, of.about, given, objects).filter(({ patch }) => {
    const patched = applyJsonPatch({ objects: given }, patch)
    const after = patched.ok ? patched.value : null
    if (!isRecord(after) || !Array.isArray(after['objects'])) return false
    return !look(after['objects']).some(
      ({ cause, about }) => cause === of.cause && about === of.about,
    )
  })
}
