import { readFileSync } from 'node:fs'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { fieldOwners, fieldsOf, managedFields, withFields } from '../objects'
import {
  changeOf,
  compareLayers,
  invalidities,
  layerLines,
  mostDocuments,
  parseManifests,
  readLayers,
  referencesOf,
  renderedText,
  renderLayers,
  type WrittenObject,
} from '.'

const deployment = (more: Record<string, unknown> = {}): WrittenObject => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name: 'desk', namespace: 'market' },
  spec: {
    replicas: 2,
    selector: { matchLabels: { app: 'desk' } },
    template: {
      metadata: { labels: { app: 'desk' } },
      spec: {
        containers: [
          {
            name: 'desk',
            image: 'registry.fernhollow.example/market/market-desk:2',
            resources: { requests: { cpu: '100m' } },
          },
        ],
      },
    },
    ...more,
  },
})

describe('reading manifests', () => {
  it('names line and column of what does not parse, and reads the rest', () => {
    const text =
      'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a}\n---\nkind: [\n---\napiVersion: v1\nkind: ConfigMap\nmetadata: {name: b}\n'
    const read = parseManifests(text)
    expect(read.documents.map(({ object, line }) => [object.metadata.name, line])).toEqual([
      ['a', 1],
      ['b', 7],
    ])
    // The list begun on line 5 is missed where the document ends.
    expect(read.problems[0]).toMatchObject({ line: 6 })
  })

  it.each<[string, string, RegExp]>([
    ['tabs', 'apiVersion: v1\nkind: ConfigMap\nmetadata:\n\tname: a\n', /tab/i],
    [
      'aliases that explode',
      `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a}\na: &a [x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b,*b]\nd: &d [*c,*c,*c,*c,*c,*c,*c,*c,*c]\ne: [*d,*d,*d,*d,*d,*d,*d,*d,*d]\n`,
      /followed more than/,
    ],
    [
      'a name written twice',
      'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a}\n---\napiVersion: v1\nkind: ConfigMap\nmetadata: {name: a}\n',
      /a second time; the first is on line 1/,
    ],
    ['a text too large', `a: ${'x'.repeat(7_000_000)}`, /MB are read at a time/],
    ['too many documents', 'a: 1\n---\n'.repeat(mostDocuments + 5), /documents; up to/],
    ['no kind', 'apiVersion: v1\nmetadata: {name: a}\n', /kind is missing/],
    ['no name', 'apiVersion: v1\nkind: ConfigMap\nmetadata: {}\n', /metadata.name is missing/],
  ])('%s', (_name, text, says) =>
    expect(
      parseManifests(text)
        .problems.map((problem) => problem.says)
        .join(' '),
    ).toMatch(says),
  )

  it('opens lists, reads JSON, and leaves out what an export carries along', () => {
    const read = parseManifests(
      JSON.stringify({
        apiVersion: 'v1',
        kind: 'List',
        items: [
          {
            ...deployment(),
            metadata: {
              ...deployment().metadata,
              uid: 'u',
              resourceVersion: '4',
              creationTimestamp: null,
            },
            status: { replicas: 2 },
          },
        ],
      }),
    )
    expect(read.documents[0]?.object).toEqual(deployment())
  })

  it('never throws, whatever it is given', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 300 }), (text) =>
        Array.isArray(parseManifests(text).documents),
      ),
      { numRuns: 300 },
    )
  })
})

describe('the API’s rules', () => {
  it.each<[string, WrittenObject, string]>([
    [
      'a quantity that is none',
      deployment({
        template: {
          metadata: { labels: { app: 'desk' } },
          spec: {
            containers: [{ name: 'a', image: 'x', resources: { requests: { memory: '1e3Gi' } } }],
          },
        },
      }),
      'spec.template.spec.containers[0].resources.requests.memory',
    ],
    [
      'a request above its limit',
      deployment({
        template: {
          metadata: { labels: { app: 'desk' } },
          spec: {
            containers: [
              {
                name: 'a',
                image: 'x',
                resources: { requests: { cpu: '2' }, limits: { cpu: '1' } },
              },
            ],
          },
        },
      }),
      'spec.template.spec.containers[0].resources.requests.cpu',
    ],
    [
      'a selector that misses its template',
      deployment({ selector: { matchLabels: { app: 'other' } } }),
      'spec.selector',
    ],
    ['replicas below 0', deployment({ replicas: -1 }), 'spec.replicas'],
    [
      'a mount without its volume',
      deployment({
        template: {
          metadata: { labels: { app: 'desk' } },
          spec: {
            containers: [
              { name: 'a', image: 'x', volumeMounts: [{ name: 'data', mountPath: '/d' }] },
            ],
          },
        },
      }),
      'spec.template.spec.containers[0].volumeMounts[0].name',
    ],
    [
      'a name with capitals',
      { ...deployment(), metadata: { name: 'Desk', namespace: 'market' } },
      'metadata.name',
    ],
    [
      'a label that is none',
      { ...deployment(), metadata: { name: 'desk', namespace: 'market', labels: { 'a b': 'c' } } },
      'metadata.labels.a b',
    ],
    [
      'a port out of range',
      {
        apiVersion: 'v1',
        kind: 'Service',
        metadata: { name: 's' },
        spec: { ports: [{ port: 70_000 }] },
      },
      'spec.ports[0].port',
    ],
    [
      'a budget that says both',
      {
        apiVersion: 'policy/v1',
        kind: 'PodDisruptionBudget',
        metadata: { name: 'b' },
        spec: { minAvailable: 1, maxUnavailable: 1 },
      },
      'spec.maxUnavailable',
    ],
    [
      'an autoscaler upside down',
      {
        apiVersion: 'autoscaling/v2',
        kind: 'HorizontalPodAutoscaler',
        metadata: { name: 'a' },
        spec: { minReplicas: 5, maxReplicas: 2, scaleTargetRef: { name: 'x' } },
      },
      'spec.maxReplicas',
    ],
    [
      'a schedule that is none',
      {
        apiVersion: 'batch/v1',
        kind: 'CronJob',
        metadata: { name: 'c' },
        spec: {
          schedule: 'daily at 8',
          jobTemplate: {
            spec: { template: { spec: { containers: [{ name: 'a', image: 'x' }] } } },
          },
        },
      },
      'spec.schedule',
    ],
    ['a kind under another version', { ...deployment(), apiVersion: 'apps/v2' }, 'apiVersion'],
  ])('%s', (_name, object, path) =>
    expect(invalidities(object).map((invalidity) => invalidity.path)).toContain(path),
  )

  it('find nothing wrong with a good one', () => expect(invalidities(deployment())).toEqual([]))

  it('know what an object names', () => {
    const object = deployment({
      template: {
        spec: {
          serviceAccountName: 'clerk',
          containers: [
            {
              name: 'a',
              envFrom: [
                { configMapRef: { name: 'settings' } },
                { secretRef: { name: 'keys', optional: true } },
              ],
            },
          ],
        },
      },
    })
    expect(referencesOf(object).map(({ kind, name }) => `${kind}/${name}`)).toEqual([
      'ServiceAccount/clerk',
      'ConfigMap/settings',
    ])
  })
})

describe('fields', () => {
  const value = fc.oneof(fc.integer(), fc.string(), fc.boolean(), fc.constant(null))
  const object = fc.dictionary(
    fc.string({ minLength: 1, maxLength: 6 }).filter((name) => name !== '__proto__'),
    fc.oneof(
      value,
      fc.dictionary(
        fc.string({ minLength: 1, maxLength: 4 }).filter((name) => name !== '__proto__'),
        value,
      ),
      fc.array(value, { maxLength: 3 }),
    ),
    { minKeys: 1, maxKeys: 6 },
  )

  it('taken apart and put together are the same object', () => {
    fc.assert(
      fc.property(object, (given) => {
        expect(withFields({}, [], fieldsOf(given))).toEqual(given)
      }),
    )
  })

  it('name items of lists by their key, whatever their order', () => {
    const containers = [
      { name: 'a', image: '1' },
      { name: 'b', image: '2' },
    ]
    const fields = fieldsOf({ spec: { containers } })
    expect(new Map(fieldsOf({ spec: { containers: [...containers].reverse() } }))).toEqual(
      new Map(fields),
    )
    expect(
      withFields(
        { spec: { containers } },
        ['/spec/containers/[name=a]/name', '/spec/containers/[name=a]/image'],
        [],
      ),
    ).toEqual({ spec: { containers: [containers[1]] } })
  })

  it('keep their owners through the form in which the API lists them', () => {
    const owners = {
      '/spec/replicas': 'hand',
      '/spec/template/spec/containers/[name=a]/image': 'files',
      '/spec/template/spec/containers/[name=a]/ports/[containerPort=80,protocol=TCP]/protocol':
        'files',
      '/metadata/labels/a~1b': 'files',
    }
    expect(Object.fromEntries(fieldOwners(managedFields(owners)))).toEqual(owners)
  })
})

describe('what an apply changes', () => {
  const live = {
    ...deployment({ replicas: 3 }),
    metadata: {
      ...deployment().metadata,
      managedFields: managedFields({ '/spec/replicas': 'hand', '/spec/paused': 'files' }),
    },
  }
  it('is told field by field, with who wrote it, and what somebody else would lose', () => {
    const change = changeOf(
      deployment(),
      {
        ...live,
        spec: { ...(deployment({ replicas: 3 })['spec'] as object), paused: true },
      } as WrittenObject,
      'files',
    )
    expect(
      change.fields.map((field) => [field.path, field.live, field.wanted, field.owner]),
    ).toEqual([
      ['/spec/replicas', 3, 2, 'hand'],
      ['/spec/paused', true, undefined, 'files'],
    ])
    expect(change.conflicts.map((field) => field.path)).toEqual(['/spec/replicas'])
  })
})

describe('layered files', () => {
  const read = readLayers(readFileSync('demo/layers.yaml', 'utf8'))
  if (!read.ok) throw new Error(read.says)
  const { file } = read
  const rendered = (environment: string | null) => {
    const matchingRendered = renderLayers(file, environment)
    if (!matchingRendered.ok) throw new Error(matchingRendered.says)
    return matchingRendered.objects
  }

  it('render base and layers, and know for each field which it came from', () => {
    const [desk] = rendered('bramble')
    expect(desk?.object).toMatchObject({
      metadata: { namespace: 'market', labels: { app: 'seed-desk', stage: 'production' } },
      spec: {
        replicas: 2,
        template: {
          spec: {
            containers: [
              {
                image: 'registry.fernhollow.example/market/market-desk:3',
                resources: { requests: { cpu: '300m', memory: '128Mi' } },
              },
            ],
          },
        },
      },
    })
    const from = Object.fromEntries(desk?.from ?? [])
    expect(from['/spec/replicas']).toBe('bramble')
    expect(from['/spec/template/spec/containers/[name=seed-desk]/resources/requests/cpu']).toBe(
      'bramble',
    )
    expect(from['/spec/template/spec/containers/[name=seed-desk]/resources/requests/memory']).toBe(
      'base',
    )
  })

  it('merge lists by their keys: one more variable beside the one of the base', () => {
    const [desk] = rendered('dill')
    const container = (
      desk?.object['spec'] as { template: { spec: { containers: { env: { name: string }[] }[] } } }
    ).template.spec.containers[0]
    expect(container?.env.map((entry) => entry.name)).toEqual(['LEDGER', 'LOG'])
  })

  it('write lines that parse back to what was rendered, each with its layer', () => {
    for (const environment of [null, 'dill', 'bramble']) {
      const objects = rendered(environment)
      expect(parseManifests(renderedText(objects)).documents.map(({ object }) => object)).toEqual(
        objects.map(({ object }) => object),
      )
    }
    const [desk] = rendered('dill')
    expect(
      desk &&
        layerLines(desk)
          .filter((line) => line.from === 'dill')
          .map((line) => line.text.trim()),
    ).toEqual(['stage: development', 'namespace: market', '- name: LOG', 'value: all'])
  })

  it('are compared field by field', () => {
    const differences = compareLayers(file, 'dill', 'bramble')
    expect(
      typeof differences === 'string'
        ? differences
        : differences.map((difference) => difference.path),
    ).toContain('/spec/replicas')
  })

  it.each<[string, string, RegExp]>([
    ['an environment that is not there', '', /no environment nowhere/],
  ])('%s', (_name, _text, says) => {
    const matchingRendered = renderLayers(file, 'nowhere')
    expect(matchingRendered.ok ? '' : matchingRendered.says).toMatch(says)
  })

  it.each<[string, string, RegExp]>([
    ['no version', 'base: []\nenvironments: {}\n', /layers/],
    [
      'a field that is none',
      'layers: 1\nbase: []\nenvironments: {a: {colour: green}}\n',
      /environments\.a/,
    ],
    [
      'a target that the base lacks',
      'layers: 1\nbase: []\nenvironments: {a: {replicas: {Deployment/x: 1}}}\n',
      /names Deployment\/x, which the base does not have/,
    ],
  ])('refuse %s', (_name, text, says) => {
    const layersRead = readLayers(text)
    const rendering = layersRead.ok ? renderLayers(layersRead.file, 'a') : layersRead
    expect(rendering.ok ? '' : rendering.says).toMatch(says)
  })
})
