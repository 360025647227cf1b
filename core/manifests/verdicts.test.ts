import { describe, expect, it } from 'vitest'
import { clusterOf, type FleetView, type TrafficView } from '../fleet'
import { writeYaml } from '../objects'
import { demoFleet, withCalls } from '../testing/demo-fleet'
import { verdictWalks } from '../wire/changes'
import { findingsOf } from '../changes'
import { manifestApply } from './apply'
import { applyIntent } from './apply-intent'
import { type Stage, verdictsOn } from './verdicts'

const call = (from: string, to: string, port: number): TrafficView => ({
  from,
  to,
  port,
  method: 'GET',
  path: '/',
  medianMs: 10,
  spans: [
    {
      from: '2026-03-02T05:00:00Z',
      until: null,
      perSecond: 1,
      failing: 0,
      at: '',
      by: '',
      source: '',
      destination: '',
      port,
      leaving: null,
      met: [],
    },
  ],
})

const fleet = withCalls(demoFleet(), 'cedar', [
  call('climate/sensor-intake', 'climate/climate-loop', 8080),
  call('irrigation/watering-planner', 'climate/climate-loop', 8080),
])

function verdicts(objects: readonly object[], view: FleetView = fleet) {
  const intent = applyIntent.parse({ cluster: 'cedar', text: objects.map(writeYaml).join('---\n') })
  const cluster = clusterOf(view, 'cedar')
  if (!cluster) throw new Error('no cedar')
  const findings = findingsOf(manifestApply, intent, view)
  return verdictsOn(intent, cluster, view, findings, verdictWalks(intent, view))
}

const told = (objects: readonly object[], stage: Stage, view?: FleetView) =>
  verdicts(objects, view).map(({ verdicts: row }) => {
    const verdict = row.find((entry) => entry.stage === stage)
    return [verdict?.outcome, verdict?.says]
  })

const deployment = (spec: object = {}, image = 'market/market-desk:2') => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name: 'lamp', namespace: 'gathering' },
  spec: {
    replicas: 2,
    selector: { matchLabels: { app: 'lamp' } },
    template: {
      metadata: { labels: { app: 'lamp' } },
      spec: {
        containers: [
          {
            name: 'lamp',
            image: `registry.fernhollow.example/${image}`,
            resources: { requests: { cpu: '100m', memory: '64Mi' } },
          },
        ],
      },
    },
    ...spec,
  },
})
const service = {
  apiVersion: 'v1',
  kind: 'Service',
  metadata: { name: 'lamp', namespace: 'gathering' },
  spec: { selector: { app: 'lamp' }, ports: [{ port: 80 }] },
}
const shut = {
  apiVersion: 'networking.k8s.io/v1',
  kind: 'NetworkPolicy',
  metadata: { name: 'shut', namespace: 'climate' },
  spec: {
    podSelector: { matchLabels: { app: 'climate-loop' } },
    policyTypes: ['Ingress'],
    ingress: [{ from: [{ podSelector: { matchLabels: { app: 'sensor-intake' } } }] }],
  },
}
const gate = {
  apiVersion: 'admissionregistration.k8s.io/v1',
  kind: 'ValidatingWebhookConfiguration',
  metadata: { name: 'gate' },
  webhooks: [
    {
      name: 'gate.fernhollow.example',
      clientConfig: { service: { namespace: 'platform', name: 'nobody' } },
      rules: [
        {
          apiGroups: ['apps'],
          apiVersions: ['*'],
          operations: ['CREATE'],
          resources: ['deployments'],
        },
      ],
    },
  ],
}
const listing = (more: object): FleetView => {
  const slice = fleet.objects?.['cedar']
  if (slice?.state !== 'known') throw new Error('cedar lists nothing')
  return {
    ...fleet,
    objects: { cedar: { ...slice, value: [...slice.value, more as never] } },
  }
}

describe('each object of a text is told its verdicts', () => {
  it('stage by stage, where nothing is against it', () => {
    const [lamp, lampService] = verdicts([deployment(), service])
    expect(lamp).toMatchObject({ object: 'Deployment gathering/lamp', line: 1 })
    expect(lamp?.verdicts.map(({ stage, outcome, says }) => [stage, outcome, says])).toEqual([
      ['api', 'passes', 'taken as apps/v1 by 1.32.4'],
      ['registry', 'passes', 'its image is in registry.fernhollow.example'],
      ['place', 'passes', '2 of 2 pods find a place'],
      ['policy', 'passes', 'passes 2 quotas'],
      ['address', 'none', ''],
      ['walk', 'none', ''],
    ])
    expect(lampService?.verdicts.map(({ outcome }) => outcome)).toEqual([
      'passes',
      'none',
      'none',
      'passes',
      'passes',
      'none',
    ])
  })

  it('what the API refuses stops it, and the rest is not asked', () => {
    const wrong = deployment({ replicas: -1 })
    expect(told([wrong], 'api')).toEqual([['stops', expect.stringContaining('replicas')]])
    expect(told([wrong], 'place')).toEqual([['open', 'looked at once nothing stops it']])
  })

  it('a namespace that is not there stops every object in it', () => {
    const away = { ...service, metadata: { name: 'lamp', namespace: 'nowhere' } }
    expect(told([away, service], 'api').map(([outcome]) => outcome)).toEqual(['stops', 'passes'])
  })

  it('an image that is not there, and pods without a place, are cautions of their stage', () => {
    expect(told([deployment({}, 'market/market-desk:99')], 'registry')).toEqual([
      ['caution', expect.stringContaining('market-desk:99')],
    ])
    expect(told([deployment({ replicas: 400 })], 'place')[0]?.[0]).toBe('caution')
  })

  it('a webhook that fails closed and behind which nothing answers stops it', () => {
    expect(told([deployment(), service], 'policy', listing(gate))).toEqual([
      [
        'stops',
        'Deployment gathering/lamp would be refused: the API must ask gate.fernhollow.example, and nothing answers behind platform/nobody.',
      ],
      ['open', 'looked at once nothing stops it'],
    ])
  })

  it('a part of an object is walked as the whole that it makes with what lives', () => {
    const labelled = {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'climate-loop', namespace: 'climate' },
      spec: { sessionAffinity: 'ClientIP' },
    }
    expect(told([labelled], 'walk')).toEqual([['passes', '2 calls arrive as before']])
  })

  it('a policy is told the calls that it would end', () => {
    expect(told([shut], 'walk')).toEqual([
      [
        'caution',
        'no longer arrives: irrigation/watering-planner to climate/climate-loop:8080, ended at policy-in by climate/shut',
      ],
    ])
    const findings = findingsOf(
      manifestApply,
      applyIntent.parse({ cluster: 'cedar', text: writeYaml(shut) }),
      fleet,
    )
    expect(
      findings.filter(({ rule }) => rule.startsWith('calls.')).map(({ level }) => level),
    ).toEqual(['caution'])
  })
})

describe('what a draft must see', () => {
  it.each([
    ['kind: NetworkPolicy', true],
    ['{"kind": "Net\\u0077orkPolicy"}', true],
    ['kind: ConfigMap', false],
  ])('of %s: the ways of packets, %s', (text, walks) => {
    const needs = manifestApply.needs(applyIntent.parse({ cluster: 'cedar', text }))
    expect(needs.includes('walks:cluster/cedar')).toBe(walks)
  })
})
