import { execFileSync } from 'node:child_process'
import { createRequire } from 'node:module'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { parseAllDocuments } from 'yaml'
import { layerLines } from './layer-lines'
import { type LayeredFile, readLayers, renderedText, renderLayers } from './layers'
import { parseManifests } from './parse'
import { writeYaml } from '../objects'

/** Objects as another reader of YAML 1.1 understands a text. */
const elsewhere = (text: string): unknown =>
  JSON.parse(
    execFileSync(
      '/usr/bin/python3',
      ['-c', 'import json, sys, yaml; print(json.dumps(list(yaml.safe_load_all(sys.stdin))))'],
      { input: text, encoding: 'utf8', maxBuffer: 1 << 26 },
    ),
  )

const file = (spec: unknown, environment: object = {}): LayeredFile => {
  const read = readLayers(
    writeYaml({
      layers: 1,
      base: [{ apiVersion: 'v1', kind: 'Thing', metadata: { name: 'seed-desk' }, spec }],
      environments: { dill: environment },
    }),
  )
  if (!read.ok) throw new Error(read.says)
  return read.file
}

const specOf = (layered: LayeredFile): unknown => {
  const rendered = renderLayers(layered, 'dill')
  if (!rendered.ok) throw new Error(rendered.says)
  const [document] = parseManifests(renderedText(rendered.objects)).documents
  return document?.object['spec']
}

describe('what is rendered means what was written', () => {
  it.each<[string, unknown]>([
    ['a rule that lets everybody in', { ingress: [{}] }],
    ['an empty list', { ingress: [] }],
    ['an empty map', { emptyDir: {} }],
    ['lists in lists', { a: [[1, [2, []]], [{}], []] }],
    ['nothing', { a: null, b: [null] }],
    ['a value that ends in a colon', { a: 'wait:', b: ['x: y', '- z', '# no', 'k:'] }],
    [
      'keys that look like something else',
      { '1.10': 1, '0x10': 2, '1e3': 3, null: 4, yes: 5, '': 6 },
    ],
    [
      'values that look like something else',
      {
        a: [
          '1.10',
          '0x10',
          '0644',
          '1:30',
          '1e3',
          'null',
          'on',
          'y',
          '~',
          '2026-03-02',
          '<<',
          '=',
          '.5',
          '-',
        ],
      },
    ],
    [
      'text of several lines',
      { a: 'one\ntwo\n', b: '\n lead\n', c: 'end\n\n', d: '\ttab', e: 'x\u0085y\u2028z' },
    ],
  ])('%s', (_name, spec) => {
    expect(specOf(file(spec))).toEqual(spec)
    const text = writeYaml({ spec })
    expect(elsewhere(text)).toEqual([{ spec }])
    expect(parseAllDocuments(text)[0]?.toJS()).toEqual({ spec })
  })

  it('whatever it is, to every reader', () => {
    const text = fc.oneof(
      fc.string({ maxLength: 12 }),
      fc.string({ unit: fc.constantFrom(...'0123456789.:-+eExo_ \n#yn~"\''), maxLength: 6 }),
      fc.constantFrom(
        'yes',
        'No',
        'ON',
        'null',
        '0o7',
        '1_000',
        '12:30:45',
        '!x',
        '&a',
        '*b',
        '? x',
      ),
    )
    const { value } = fc.letrec((tie) => ({
      value: fc.oneof(
        { maxDepth: 4 },
        text,
        fc.integer(),
        fc.boolean(),
        fc.constant(null),
        fc.array(tie('value'), { maxLength: 3 }),
        fc.dictionary(text, tie('value'), { maxKeys: 3, noNullPrototype: true }),
      ),
    }))
    const specs = fc.sample(value, { numRuns: 400, seed: 1 })
    const texts = specs.map((spec) => writeYaml({ spec }))
    specs.forEach((spec, i) =>
      expect(parseAllDocuments(texts[i] ?? '')[0]?.toJS()).toEqual({ spec }),
    )
    expect(elsewhere(texts.join('---\n'))).toEqual(specs.map((spec) => ({ spec })))
    for (const spec of specs) if (typeof spec === 'object') expect(specOf(file(spec))).toEqual(spec)
  })
})

describe('lines and their layers', () => {
  it('go by what stands on them, in lists by key, in lists in lists and in text of several lines', () => {
    const layered = file(
      { containers: [{ name: 'a', args: [['x']], note: 'one' }], kept: 'yes:' },
      {
        merge: [
          {
            kind: 'Thing',
            metadata: { name: 'seed-desk' },
            spec: {
              containers: [
                { name: 'a', note: 'one\ntwo\n' },
                { name: 'b', env: [{}] },
              ],
            },
          },
        ],
      },
    )
    const rendered = renderLayers(layered, 'dill')
    if (!rendered.ok) throw new Error(rendered.says)
    const lines = rendered.objects.flatMap((object) => layerLines(object))
    expect(lines.map(({ text, from }) => `${from ?? '·'} ${text}`)).toEqual([
      'base apiVersion: v1',
      'base kind: Thing',
      '· metadata:',
      'base   name: seed-desk',
      'base   namespace: default',
      '· spec:',
      '·   containers:',
      'base     - name: a',
      'base       args:',
      'base         - - x',
      'dill       note: |',
      'dill         one',
      'dill         two',
      'dill     - name: b',
      'dill       env:',
      'dill         - {}',
      'base   kept: "yes:"',
    ])
  })
})

describe('patches in an environment', () => {
  const load = createRequire(import.meta.url)
  interface PublicCase {
    readonly doc?: unknown
    readonly patch?: readonly Readonly<Record<string, unknown>>[]
    readonly expected?: unknown
    readonly error?: string
    readonly disabled?: boolean
    readonly comment?: string
  }
  const below = (pointer: unknown) => (typeof pointer === 'string' ? `/spec${pointer}` : pointer)
  const cases = ['tests.json', 'spec_tests.json']
    .flatMap((name) => load(`json-patch-test-suite/${name}`) as readonly PublicCase[])
    .filter((entry) => 'doc' in entry && 'patch' in entry && entry.disabled !== true)
    // A pointer that does not begin with a slash is one, once it is put below another.
    .filter(({ patch }) =>
      (patch ?? []).every(({ path, from }) =>
        [path, from].every((at) => at === undefined || at === '' || String(at).startsWith('/')),
      ),
    )

  it.each(
    cases.map((entry, i) => [i, entry.comment ?? JSON.stringify(entry.patch), entry] as const),
  )('pass public case %i %s', (_i, _name, { doc, patch, expected, error }) => {
    const moved = (patch ?? []).map((step) => ({
      ...step,
      ...('path' in step ? { path: below(step['path']) } : {}),
      ...('from' in step ? { from: below(step['from']) } : {}),
    }))
    const read = readLayers(
      JSON.stringify({
        layers: 1,
        base: [{ apiVersion: 'v1', kind: 'Thing', metadata: { name: 'x' }, spec: doc }],
        environments: { dill: { jsonPatch: [{ target: 'Thing/x', patch: moved }] } },
      }),
    )
    const rendered = read.ok ? renderLayers(read.file, 'dill') : read
    expect(rendered.ok, rendered.ok ? '' : rendered.says).toBe(error === undefined)
    if (read.ok && rendered.ok && expected !== undefined)
      expect(specOf(read.file)).toEqual(expected)
  })

  // The appendix of RFC 7396, below a field.
  it.each<[unknown, unknown, unknown]>([
    [{ a: 'b' }, { a: 'c' }, { a: 'c' }],
    [{ a: 'b' }, { b: 'c' }, { a: 'b', b: 'c' }],
    [{ a: 'b' }, { a: null }, {}],
    [{ a: 'b', b: 'c' }, { a: null }, { b: 'c' }],
    [{ a: ['b'] }, { a: 'c' }, { a: 'c' }],
    [{ a: 'c' }, { a: ['b'] }, { a: ['b'] }],
    [{ a: { b: 'c' } }, { a: { b: 'd', c: null } }, { a: { b: 'd' } }],
    [{ a: [{ b: 'c' }] }, { a: [1] }, { a: [1] }],
    [
      ['a', 'b'],
      ['c', 'd'],
      ['c', 'd'],
    ],
    [{ a: 'b' }, ['c'], ['c']],
    [{ a: 'foo' }, 'bar', 'bar'],
    [{ e: null }, { a: 1 }, { e: null, a: 1 }],
    [[1, 2], { a: 'b', c: null }, { a: 'b' }],
    [{}, { a: { bb: { ccc: null } } }, { a: { bb: {} } }],
  ])('merge %j with %j', (before, patch, after) => {
    expect(
      specOf(file(before, { mergePatch: [{ target: 'Thing/seed-desk', patch: { spec: patch } }] })),
    ).toEqual(after)
  })

  it('that leave no object are refused by name', () => {
    const rendered = renderLayers(
      file(
        {},
        { jsonPatch: [{ target: 'Thing/seed-desk', patch: [{ op: 'remove', path: '/kind' }] }] },
      ),
      'dill',
    )
    expect(rendered).toEqual({
      ok: false,
      says: 'environments.dill.jsonPatch for Thing/seed-desk: what it leaves is no object with a kind and a name',
    })
  })
})

describe('parts of lists', () => {
  const layered = readLayers(
    writeYaml({
      layers: 1,
      base: [
        {
          apiVersion: 'v1',
          kind: 'Service',
          metadata: { name: 'names', finalizers: ['keep.fernhollow.example/a'] },
          spec: {
            ports: [
              { name: 'names', port: 53, protocol: 'UDP' },
              { name: 'secure', port: 443 },
            ],
          },
        },
        {
          apiVersion: 'apps/v1',
          kind: 'Deployment',
          metadata: { name: 'desk' },
          spec: {
            template: {
              spec: {
                containers: [{ name: 'desk', image: 'desk:1' }],
                topologySpreadConstraints: [
                  { topologyKey: 'zone', whenUnsatisfiable: 'DoNotSchedule', maxSkew: 1 },
                ],
              },
            },
          },
        },
      ],
      environments: {
        dill: {
          merge: [
            {
              kind: 'Service',
              metadata: { name: 'names' },
              spec: { ports: [{ port: 443, targetPort: 9443 }] },
            },
            {
              kind: 'Deployment',
              metadata: { name: 'desk' },
              spec: {
                template: {
                  spec: { topologySpreadConstraints: [{ topologyKey: 'zone', maxSkew: 2 }] },
                },
              },
            },
          ],
        },
      },
    }),
  )
  if (!layered.ok) throw new Error(layered.says)
  const rendered = renderLayers(layered.file, 'dill')
  if (!rendered.ok) throw new Error(rendered.says)
  const [service, deployment] = rendered.objects

  it('are merged by one key, and need say no other', () => {
    expect(service?.object['spec']).toEqual({
      ports: [
        { name: 'names', port: 53, protocol: 'UDP' },
        { name: 'secure', port: 443, targetPort: 9443 },
      ],
    })
    expect(deployment?.object['spec']).toMatchObject({
      template: {
        spec: {
          topologySpreadConstraints: [
            { topologyKey: 'zone', whenUnsatisfiable: 'DoNotSchedule', maxSkew: 2 },
          ],
        },
      },
    })
  })

  it('have each line told with its layer, ports and finalizers too', () => {
    if (!service) throw new Error('no service')
    const lines = layerLines(service).map(({ text, from }) => [text.trim(), from])
    expect(lines).toContainEqual(['targetPort: 9443', 'dill'])
    expect(lines).toContainEqual(['protocol: UDP', 'base'])
    expect(lines).toContainEqual(['- keep.fernhollow.example/a', 'base'])
    expect(lines).toContainEqual(['- name: secure', 'base'])
  })
})
