import { createRequire } from 'node:module'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { isRecord } from '../objects'
import published from './open-api-types.json'
import { meantField, schemaFaults, typeOfKind } from './schema'

const load = createRequire(import.meta.url)
const { kinds, types, choices } = published as {
  readonly choices: Readonly<Record<string, readonly string[]>>
  readonly kinds: Readonly<Record<string, string>>
  readonly types: Readonly<Record<string, Readonly<Record<string, string>>>>
}

interface Model {
  validate(): void
}

/** Whether the published validators take an object. */
function takenElsewhere(object: Readonly<Record<string, unknown>>): boolean {
  const models = load(`kubernetes-models/${String(object['apiVersion'])}`) as Readonly<
    Record<string, new (data: unknown) => Model>
  >
  const Kind = models[String(object['kind'])]
  if (!Kind) throw new Error(`no model of ${String(object['kind'])}`)
  try {
    new Kind(object).validate()
    return true
  } catch {
    return false
  }
}

/** Values of a shape, most fields left away, no deeper than a few types. */
function valueOf(shape: string, depth: number): fc.Arbitrary<unknown> {
  if (shape.startsWith('[')) return fc.array(valueOf(shape.slice(1), depth), { maxLength: 2 })
  if (shape.startsWith('{'))
    return fc.dictionary(fc.constantFrom('a', 'app', 'cpu'), valueOf(shape.slice(1), depth), {
      maxKeys: 2,
      noNullPrototype: true,
    })
  switch (shape) {
    case 's':
      return fc.constantFrom('x', 'seed-desk', '10')
    case 't':
      return fc.constant('2026-03-02T06:00:00Z')
    case '6':
      return fc.constant('c2VlZA==')
    case 'i':
    case 'w':
    case 'n':
      return fc.integer({ min: 0, max: 100 })
    case 'b':
      return fc.boolean()
    case 'k':
      return fc.constantFrom<unknown>('100m', 3, '1.5Gi', '2e3')
    case 'q':
      return fc.constantFrom<unknown>('http', 3, '25%')
    case '*':
      return fc.constant({})
    default:
      return partOf(shape, depth - 1)
  }
}

const inShape = (shape: string, word: fc.Arbitrary<string>): fc.Arbitrary<unknown> => {
  if (shape.startsWith('[')) return fc.array(word, { minLength: 1, maxLength: 2 })
  return shape.startsWith('{') ? fc.dictionary(fc.constant('a'), word) : word
}

function partOf(type: string, depth: number): fc.Arbitrary<Record<string, unknown>> {
  const fields = Object.entries(types[type] ?? {})
  const wanted = fields.filter(([key]) => key.endsWith('!'))
  const model = (list: readonly (readonly [string, string])[]) =>
    Object.fromEntries(
      list.map(([key, shape]) => {
        const field = key.replace(/!$/, '')
        const taken = choices[`${type}.${field}`]
        const value = taken ? inShape(shape, fc.constantFrom(...taken)) : valueOf(shape, depth)
        return [field, value]
      }),
    )
  const needed = fc.record(model(wanted))
  if (depth <= 0) return needed
  return fc
    .tuple(
      needed,
      fc
        .subarray(fields.filter(([key]) => !key.endsWith('!')))
        .map((chosen) => chosen.slice(0, 4))
        .chain((chosen) => fc.record(model(chosen))),
    )
    .map(([first, second]) => ({ ...first, ...second }))
}

const objects = fc
  .constantFrom(...Object.keys(kinds).filter((key) => !/^(apiextensions|certificates)/.test(key)))
  .chain((key) => {
    const cut = key.lastIndexOf('/')
    const [apiVersion, kind] = [key.slice(0, cut), key.slice(cut + 1)]
    return partOf(kinds[key] ?? '', 6).map((part) => ({
      ...part,
      apiVersion,
      kind,
      metadata: { name: 'seed-desk' },
    }))
  })

/** Every place of a value that can be damaged. */
function places(value: unknown, path: readonly (string | number)[] = []): (string | number)[][] {
  if (Array.isArray(value))
    return value.flatMap((item, i) => places(item, [...path, i])).concat([[...path]])
  if (isRecord(value))
    return Object.entries(value)
      .flatMap(([key, inner]) => places(inner, [...path, key]))
      .concat([[...path]])
  return [[...path]]
}

function damaged(object: unknown, path: readonly (string | number)[], how: unknown): unknown {
  const copy = structuredClone(object)
  let at = copy as Record<string | number, unknown>
  for (const step of path.slice(0, -1)) at = at[step] as Record<string | number, unknown>
  const last = path.at(-1) ?? ''
  if (how === undefined && Array.isArray(at)) at.splice(Number(last), 1)
  else if (how === undefined) delete at[last]
  else at[last] = how
  return copy
}

const ours = (object: unknown) =>
  schemaFaults(object as Record<string, unknown>).filter(({ kind }) => kind !== 'unknown')

describe('the published schemas', () => {
  it('are judged as their own validators judge them, for objects that are right and for damaged ones', () => {
    const right = fc.sample(objects, { numRuns: 600, seed: 7 })
    for (const object of right) {
      expect(takenElsewhere(object), JSON.stringify(object)).toBe(true)
      expect(ours(object), JSON.stringify(object)).toEqual([])
    }
    const ways = fc.sample(
      fc.tuple(
        fc.nat(),
        fc.constantFrom<unknown>(undefined, 'text', 1.5, 2 ** 40, true, [], {}, [1], -3),
      ),
      { numRuns: 1200, seed: 8 },
    )
    let caught = 0
    ways.forEach(([n, how], i) => {
      const object = right[i % right.length]
      const all = places(object).filter(
        ([first]) => first !== undefined && !['apiVersion', 'kind'].includes(String(first)),
      )
      const path = all[n % all.length]
      // Fields of this name are missing from those validators: they take it for a note on the schema.
      if (!path || path.includes('description')) return
      const broken = damaged(object, path, how)
      const there = takenElsewhere(broken as Record<string, unknown>)
      expect(ours(broken).length === 0, JSON.stringify([path, how, broken])).toBe(there)
      if (!there) caught++
    })
    expect(caught).toBeGreaterThan(500)
  })

  it('name the place and what belongs there', () => {
    const faults = schemaFaults({
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'seed-desk', labels: { tier: 3 } },
      spec: {
        replicas: '3',
        selectr: {},
        template: { spec: { containers: [{ image: 'x', imagePulPolicy: 'Always' }] } },
      },
    })
    expect(faults.map(({ path, kind, says }) => [path, kind, says])).toEqual([
      ['metadata.labels.tier', 'type', '3 is not what belongs here: the API takes text.'],
      [
        'spec.replicas',
        'type',
        '"3" is not what belongs here: the API takes a whole number below 2,147,483,648.',
      ],
      ['spec.selector', 'required', 'selector is missing.'],
      ['spec.template.spec.containers[0].name', 'required', 'name is missing.'],
      [
        'spec.template.spec.containers[0].imagePulPolicy',
        'unknown',
        'The API knows no field imagePulPolicy here and drops it. Likely meant: imagePullPolicy.',
      ],
      [
        'spec.selectr',
        'unknown',
        'The API knows no field selectr here and drops it. Likely meant: selector.',
      ],
    ])
  })

  it('take nothing for absent', () => {
    const object = {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'x', labels: null },
      spec: null,
    }
    expect(schemaFaults(object)).toEqual([])
  })

  it('are there for kinds that are served, and for no others', () => {
    expect(typeOfKind('apps/v1', 'Deployment')).toBe('apps/v1/Deployment')
    expect(typeOfKind('apps/v1', 'Orchard')).toBeNull()
    expect(typeOfKind('__proto__', 'x')).toBeNull()
    expect(meantField('v1/PodSpec', 'nodeSelectors')).toBe('nodeSelector')
    expect(meantField('v1/PodSpec', 'colour')).toBeNull()
  })
})
