/** Conversions held against transformations of plain values, in every way of writing, with nothing else changed. */
import { describe, expect, it } from 'vitest'
import { stringify as written, type ToStringOptions } from 'yaml'
import { apiDocuments } from '../../objects'
import { seeded } from '../../units'
import { convertManifests } from '.'

type Json = Record<string, unknown>

const stringify = (value: unknown, options: ToStringOptions): string =>
  written(value, { version: '1.1', ...options })

const parsed = (text: string): unknown[] => apiDocuments(text).map((document) => document.toJS())

// Ways of writing the same

const commented = (text: string, eol: string): string =>
  text
    .split('\n')
    .filter((line) => line !== '')
    .flatMap((line, index) => {
      const indentation = line.match(/^[ ]*/)?.[0] ?? ''
      const own = `${line} # c${index}`
      return index % 3 === 1 && !line.trim().startsWith('-')
        ? [`${indentation}# b${index}`, own]
        : [own]
    })
    .join(eol) + eol

const styles: Readonly<Record<string, (value: Json) => string>> = {
  block: (value) => stringify(value, { lineWidth: 0 }),
  'block with lists in line': (value) => stringify(value, { lineWidth: 0, indentSeq: false }),
  'block by four': (value) => stringify(value, { lineWidth: 0, indent: 4 }),
  'block with comments': (value) => commented(stringify(value, { lineWidth: 0 }), '\n'),
  'block with carriage returns': (value) => commented(stringify(value, { lineWidth: 0 }), '\r\n'),
  'flow within block': (value) =>
    Object.entries(value)
      .map(
        ([key, each]) =>
          `${key}: ${stringify(each, { collectionStyle: 'flow', lineWidth: 0 }).trim()}\n`,
      )
      .join(''),
  'flow over lines': (value) => stringify(value, { collectionStyle: 'flow', lineWidth: 20 }),
  JSON: (value) => JSON.stringify(value),
  'JSON over lines': (value) => `${JSON.stringify(value, null, 4)}\n`,
  'without an end': (value) => stringify(value, { lineWidth: 0 }).trimEnd(),
}

// What a conversion does, on plain values

const portOf = (port: unknown): Json =>
  typeof port === 'number' || /^\d+$/.test(String(port)) ? { number: Number(port) } : { name: port }

const backendOf = ({ serviceName, servicePort, ...more }: Json): Json => ({
  ...more,
  service: { name: serviceName, port: portOf(servicePort) },
})

const ingressOf = (ingress: Json): Json => {
  const { backend, rules, ...spec } = ingress['spec'] as Json
  return {
    ...ingress,
    apiVersion: 'networking.k8s.io/v1',
    spec: {
      ...spec,
      ...(backend === undefined ? {} : { defaultBackend: backendOf(backend as Json) }),
      rules: (rules as Json[]).map((rule) => ({
        ...rule,
        http: {
          paths: ((rule['http'] as Json)['paths'] as Json[]).map((path) => ({
            pathType: 'ImplementationSpecific',
            ...path,
            backend: backendOf(path['backend'] as Json),
          })),
        },
      })),
    },
  }
}

const aimOf = ({ targetAverageUtilization, targetAverageValue, ...more }: Json): Json => ({
  ...more,
  target:
    targetAverageUtilization === undefined
      ? { type: 'AverageValue', averageValue: targetAverageValue }
      : { type: 'Utilization', averageUtilization: targetAverageUtilization },
})

const autoscalerOf = ({ status: _, ...autoscaler }: Json): Json => {
  const spec = autoscaler['spec'] as Json
  return {
    ...autoscaler,
    apiVersion: 'autoscaling/v2',
    spec: {
      ...spec,
      metrics: (spec['metrics'] as Json[]).map(({ type, resource, pods }) => {
        if (resource) return { type, resource: aimOf(resource as Json) }
        const { metricName, selector, ...more } = pods as Json
        return {
          type,
          pods: aimOf({
            ...more,
            metric: { name: metricName, ...(selector === undefined ? {} : { selector }) },
          }),
        }
      }),
    },
  }
}

const deploymentOf = (deployment: Json): Json => {
  const { rollbackTo: _, strategy, ...spec } = deployment['spec'] as Json
  const rolling = (strategy as Json | undefined)?.['rollingUpdate'] as Json | undefined
  const metadata = (spec['template'] as Json)['metadata'] as Json
  return {
    ...deployment,
    apiVersion: 'apps/v1',
    spec: {
      selector: { matchLabels: metadata['labels'] },
      progressDeadlineSeconds: 2147483647,
      revisionHistoryLimit: 2147483647,
      ...spec,
      strategy:
        (strategy as Json | undefined)?.['type'] === 'Recreate'
          ? strategy
          : {
              ...(strategy as Json | undefined),
              rollingUpdate: { maxSurge: 1, maxUnavailable: 1, ...rolling },
            },
    },
  }
}

// Objects made at random

const random = seeded(41)
const oneOf = <T>(...choices: readonly T[]): T =>
  choices[Math.floor(random() * choices.length)] as T
const maybe = (key: string, value: unknown): Json => (random() < 0.5 ? { [key]: value } : {})

const backend = (): Json =>
  oneOf<Json>(
    { serviceName: 'ledger', servicePort: 8080 },
    { servicePort: '80', serviceName: 'gate' },
    { serviceName: 'desk', servicePort: 'web' },
  )

const makers: readonly (readonly [() => Json, (value: Json) => Json])[] = [
  [
    () => ({
      apiVersion: oneOf('extensions/v1beta1', 'networking.k8s.io/v1beta1'),
      kind: 'Ingress',
      metadata: { name: 'gate', labels: { app: 'gate' } },
      spec: {
        ...maybe('backend', backend()),
        rules: [0, 1].slice(0, oneOf(1, 2)).map((index) => ({
          ...maybe('host', `h${index}.fernhollow.example`),
          http: {
            paths: [0, 1].slice(0, oneOf(1, 2)).map(() => ({
              ...maybe('path', '/seeds'),
              ...maybe('pathType', 'Prefix'),
              backend: backend(),
            })),
          },
        })),
        ...maybe('tls', [{ secretName: 'gate' }]),
      },
    }),
    ingressOf,
  ],
  [
    () => ({
      apiVersion: 'autoscaling/v2beta1',
      kind: 'HorizontalPodAutoscaler',
      metadata: { name: 'intake' },
      spec: {
        maxReplicas: 4,
        metrics: [
          {
            type: 'Resource',
            resource: oneOf<Json>(
              { name: 'cpu', targetAverageUtilization: 60 },
              { targetAverageValue: '200Mi', name: 'memory' },
            ),
          },
          {
            type: 'Pods',
            pods: {
              metricName: 'queued',
              ...maybe('selector', { matchLabels: { app: 'intake' } }),
              targetAverageValue: '10',
            },
          },
        ].slice(0, oneOf(1, 2)),
      },
      ...maybe('status', { currentReplicas: 1 }),
    }),
    autoscalerOf,
  ],
  [
    () => ({
      apiVersion: 'extensions/v1beta1',
      kind: 'Deployment',
      metadata: { name: 'planner' },
      spec: {
        ...maybe('replicas', 2),
        ...maybe('rollbackTo', { revision: 1 }),
        ...maybe(
          'strategy',
          oneOf<Json>(
            { type: 'Recreate' },
            { rollingUpdate: { maxSurge: 2 } },
            { type: 'RollingUpdate' },
          ),
        ),
        template: {
          metadata: { labels: { app: 'planner', y: 'yes' } },
          spec: { containers: [{ name: 'planner', image: 'x:1', args: ['a\nb\n'] }] },
        },
        ...maybe('revisionHistoryLimit', 3),
      },
    }),
    deploymentOf,
  ],
]

describe('a conversion', () => {
  for (const [style, write] of Object.entries(styles))
    it(`is the one of the plain values, written as ${style}`, () => {
      for (let round = 0; round < 40; round++)
        for (const [make, transform] of makers) {
          const value = make()
          const text = write(value)
          const { manifests, converted, left } = convertManifests(text, '1.33')
          expect(left, text).toEqual([])
          expect(parsed(manifests), `${text}\n=>\n${manifests}`).toEqual([
            transform(parsed(text)[0] as Json),
          ])
          expect(converted[0]?.changes[0]?.path).toBe('apiVersion')
          // Done once, there is nothing left to do.
          expect(convertManifests(manifests, '1.33').manifests).toBe(manifests)
          if (style.startsWith('JSON')) expect(JSON.parse(manifests)).toEqual(transform(value))
        }
    })

  it('keeps every comment of an ingress, and the ends of its lines', () => {
    for (let round = 0; round < 60; round++) {
      const [make] = makers[0] ?? []
      const text = styles['block with carriage returns']?.(make?.() ?? {}) ?? ''
      const { manifests } = convertManifests(text, '1.33')
      const comments = (of: string) => (of.match(/# [bc]\d+/g) ?? []).sort()
      expect(comments(manifests), `${text}\n=>\n${manifests}`).toEqual(comments(text))
      expect(manifests.replaceAll('\r\n', '')).not.toContain('\n')
    }
  })

  it('changes no line that it need not change', () => {
    const text = `# head\napiVersion:   "batch/v1beta1"   # odd\nkind: CronJob\nmetadata: { name:  nightly }\nspec:\n    schedule:   '0 3 * * *'\n\n---\n# nothing here\n---\nnot: [closed\n---\napiVersion: v1\nkind: ConfigMap\ndata: {a:  b}\n`
    const { manifests, unreadable } = convertManifests(text, '1.33')
    expect(manifests).toBe(text.replace('batch/v1beta1', 'batch/v1'))
    expect(unreadable.map(({ document }) => document)).toEqual([2])
  })
})

const converts = (text: string, target = '1.33') => convertManifests(text, target)
const decided = (text: string, target = '1.33') => {
  const { manifests, left, converted } = converts(text, target)
  expect([manifests, converted]).toEqual([text, []])
  return left.map(({ decide }) => decide).join()
}

describe('what a person has to decide', () => {
  it.each([
    ['policy/v1beta1', 'PodSecurityPolicy', '{}', /pod security/],
    ['extensions/v1beta1', 'PodSecurityPolicy', '{}', /pod security/],
    ['policy/v1beta1', 'PodDisruptionBudget', '{selector: {}}', /every/],
    ['policy/v1beta1', 'PodDisruptionBudget', '{selector: {matchLabels: {}}}', /every/],
    ['certificates.k8s.io/v1beta1', 'CertificateSigningRequest', '{usages: [a]}', /signerName/],
    ['certificates.k8s.io/v1beta1', 'CertificateSigningRequest', '{signerName: a.b/c}', /usages/],
    [
      'certificates.k8s.io/v1beta1',
      'CertificateSigningRequest',
      '{signerName: kubernetes.io/legacy-unknown, usages: [a]}',
      /legacy/,
    ],
    ['apps/v1beta2', 'Deployment', '{template: {}}', /neither/],
    [
      'apps/v1beta2',
      'StatefulSet',
      '{selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: c}}}}',
      /does not match/,
    ],
    ['apiextensions.k8s.io/v1beta1', 'CustomResourceDefinition', '{version: v1}', /no schema/],
    [
      'apiextensions.k8s.io/v1beta1',
      'CustomResourceDefinition',
      '{version: v1, validation: {openAPIV3Schema: {properties: {}}}}',
      /type: object/,
    ],
  ])('%s %s %s', (apiVersion, kind, spec, says) => {
    expect(
      decided(`apiVersion: ${apiVersion}\nkind: ${kind}\nmetadata: {name: a}\nspec: ${spec}\n`),
    ).toMatch(says)
  })

  it('of webhooks that do not say what else they do, or share a name', () => {
    const head =
      'apiVersion: admissionregistration.k8s.io/v1beta1\nkind: MutatingWebhookConfiguration\nwebhooks:\n'
    expect(decided(`${head}- name: a\n`)).toMatch(/sideEffects/)
    expect(decided(`${head}- {name: a, sideEffects: Some}\n`)).toMatch(/Some/)
    expect(
      decided(`${head}- {name: a, sideEffects: None}\n- {name: a, sideEffects: None}\n`),
    ).toMatch(/Two/)
  })

  it('of what refers to itself until nobody can write it out', () => {
    const ten = (name: string) => `[${Array.from({ length: 10 }, () => name).join(',')}]`
    const text = `apiVersion: apps/v1beta2\nkind: Deployment\nx: &a ${ten('1')}\ny: &b ${ten('*a')}\nz: &c ${ten('*b')}\nspec:\n  selector: {matchLabels: {a: *c}}\n  template: {metadata: {labels: {a: b}}}\n`
    expect(decided(text)).toMatch(/written once/)
  })

  it('of what is written once for several places', () => {
    const text =
      'apiVersion: networking.k8s.io/v1beta1\nkind: Ingress\nx: &b {serviceName: a, servicePort: 1}\nspec:\n  backend: *b\n'
    expect(decided(text)).toMatch(/spec.backend/)
  })
})

it('selects by labels that are merged in', () => {
  const head = 'apiVersion: apps/v1beta2\nkind: Deployment\nmetadata: {labels: &l {a: b}}\nspec:\n'
  const template = '  template: {metadata: {labels: {<<: *l, c: d}}}\n'
  const said = converts(`${head}  selector: {matchLabels: {<<: *l}}\n${template}`)
  expect([said.converted.length, said.left]).toEqual([1, []])
  const [written] = parsed(converts(`${head}${template}`).manifests) as Json[]
  expect((written?.['spec'] as Json)['selector']).toEqual({ matchLabels: { a: 'b', c: 'd' } })
})

describe('what is not there yet', () => {
  it('waits for a release that serves it', () => {
    const text =
      'apiVersion: autoscaling/v2beta1\nkind: HorizontalPodAutoscaler\nmetadata: {name: a}\n'
    expect(converts(text, '1.22')).toMatchObject({
      manifests: text,
      later: [{ document: 0, kind: 'HorizontalPodAutoscaler', name: 'a' }],
    })
    expect(converts(text, '1.23').converted).toHaveLength(1)
  })

  it('is policy/v1beta1 for a pod security policy of extensions, as long as that is served', () => {
    const text = 'apiVersion: extensions/v1beta1\nkind: PodSecurityPolicy\nmetadata: {name: a}\n'
    expect(converts(text, '1.24').manifests).toBe(text.replace('extensions', 'policy'))
  })
})

describe('a custom resource definition', () => {
  it('says for each version what it said for all', () => {
    const text = `apiVersion: apiextensions.k8s.io/v1beta1
kind: CustomResourceDefinition
metadata: {name: seeds.fernhollow.example}
spec:
  version: v1 # the first
  versions:
  - {name: v1, served: true, storage: true}
  - name: v2
    served: true
    storage: false
  # what a seed is
  validation:
    openAPIV3Schema: # its root
      type: object
  additionalPrinterColumns:
  - {name: Age, type: date, JSONPath: .metadata.creationTimestamp}
  conversion:
    strategy: Webhook
    webhookClientConfig: {url: "https://seeds.fernhollow.example"}
`
    const { manifests } = converts(text)
    const schema = {
      openAPIV3Schema: { type: 'object', 'x-kubernetes-preserve-unknown-fields': true },
    }
    const more = {
      schema,
      additionalPrinterColumns: [
        { name: 'Age', type: 'date', jsonPath: '.metadata.creationTimestamp' },
      ],
    }
    expect(parsed(manifests)).toEqual([
      {
        apiVersion: 'apiextensions.k8s.io/v1',
        kind: 'CustomResourceDefinition',
        metadata: { name: 'seeds.fernhollow.example' },
        spec: {
          versions: [
            { name: 'v1', served: true, storage: true, ...more },
            { name: 'v2', served: true, storage: false, ...more },
          ],
          conversion: {
            strategy: 'Webhook',
            webhook: {
              clientConfig: { url: 'https://seeds.fernhollow.example' },
              conversionReviewVersions: ['v1beta1'],
            },
          },
          scope: 'Namespaced',
        },
      },
    ])
    expect(manifests).toContain('# what a seed is')
    expect(manifests).toContain('# its root')
  })
})
