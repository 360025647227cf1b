import { describe, expect, it } from 'vitest'
import { demoFleet, withCalls } from '../testing/demo-fleet'
import { writeYaml } from '../objects'
import type { FleetView } from '../fleet'
import { manifestApply } from './apply'
import { invalidities } from './validate'
import type { WrittenObject } from './parse'

const fleet = withCalls(demoFleet(), 'cedar')
const onRelease = (release: string): FleetView => ({
  ...fleet,
  clusters: fleet.clusters.map((cluster) =>
    cluster.name === 'cedar' ? { ...cluster, release } : cluster,
  ),
})

const check = (objects: unknown, view: FleetView = fleet) =>
  manifestApply.check(
    {
      cluster: 'cedar',
      text: typeof objects === 'string' ? objects : [objects].flat().map(writeYaml).join('---\n'),
      manager: 'team-files',
      resolve: {},
    },
    view,
  )
const stops = (objects: unknown, view?: FleetView) =>
  check(objects, view)
    .filter(({ level }) => level === 'stop')
    .map(({ says }) => says)

const service = (spec: object) => ({
  apiVersion: 'v1',
  kind: 'Service',
  metadata: { name: 'seed-desk', namespace: 'gathering' },
  spec,
})
const deployment = (pod: object = {}, container: object = {}, spec: object = {}) => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name: 'seed-desk', namespace: 'gathering' },
  spec: {
    replicas: 1,
    selector: { matchLabels: { app: 'seed-desk' } },
    template: {
      metadata: { labels: { app: 'seed-desk' } },
      spec: {
        containers: [
          {
            name: 'desk',
            image: 'registry.fernhollow.example/gathering/cold-chain:2',
            ...container,
          },
        ],
        ...pod,
      },
    },
    ...spec,
  },
})

describe('versions of the API', () => {
  const cron = (apiVersion: string) => ({
    apiVersion,
    kind: 'CronJob',
    metadata: { name: 'sweep', namespace: 'gathering' },
    spec: {
      schedule: '0 3 * * *',
      jobTemplate: {
        spec: {
          template: {
            spec: {
              restartPolicy: 'Never',
              containers: [
                { name: 'sweep', image: 'registry.fernhollow.example/gathering/cold-chain:2' },
              ],
            },
          },
        },
      },
    },
  })
  it('that are gone are refused with what took their place', () => {
    expect(stops(cron('batch/v1beta1'))).toEqual([
      'CronJob gathering/sweep (line 1): batch/v1beta1 is gone since 1.25, and 1.32.4 does not serve it. Write it as batch/v1.',
    ])
    expect(stops(cron('batch/v1beta1'), onRelease('1.24.17'))).toEqual([])
    expect(stops(cron('batch/v1'))).toEqual([])
  })
  it('that are not there yet are refused too', () => {
    expect(stops(cron('batch/v1'), onRelease('1.20.0'))).toEqual([
      'CronJob gathering/sweep (line 1): batch/v1 is served from 1.21 on; this cluster runs 1.20.0.',
    ])
  })
  it.each(['apps/v3', 'v1', 'batch/v1'])('Deployment is not served as %s', (apiVersion) => {
    expect(stops({ ...deployment(), apiVersion })).toEqual([
      expect.stringContaining('served as apps/v1'),
    ])
  })
})

describe('services', () => {
  const ports = (nodePort: number) => ({
    type: 'NodePort',
    selector: { app: 'cold-chain' },
    ports: [{ port: 80, nodePort }],
  })
  it('take ports of nodes from 30000 to 32767', () => {
    expect(stops(service(ports(8080)))).toEqual([
      'Service gathering/seed-desk (line 1), spec.ports[0].nodePort: 8080 is out of range: the API takes 30000 to 32767.',
    ])
    expect(stops(service(ports(30_080)))).toEqual([])
  })
  it('do not share one', () => {
    expect(
      stops(
        service({
          ...ports(30_080),
          ports: [
            { name: 'a', port: 80, nodePort: 30_080 },
            { name: 'b', port: 81, nodePort: 30_080 },
          ],
        }),
      ),
    ).toEqual([expect.stringContaining('port of the nodes 30080/TCP stands twice')])
    const neighbour = {
      ...service(ports(30_080)),
      metadata: { name: 'other', namespace: 'climate' },
    }
    expect(stops([service(ports(30_080)), neighbour])).toHaveLength(2)
    const view: FleetView = {
      ...fleet,
      objects: {
        ...fleet.objects,
        cedar: {
          state: 'known',
          version: 1,
          at: fleet.now,
          value: [
            ...(fleet.objects?.['cedar']?.state === 'known' ? fleet.objects['cedar'].value : []),
            neighbour as never,
          ],
        },
      },
    }
    expect(stops(service(ports(30_080)), view)).toEqual([
      'Service gathering/seed-desk wants port 30080 of every node, which Service climate/other has.',
    ])
  })
  it('without a pod behind them are a note', () => {
    const notes = (selector: object) =>
      check(service({ selector, ports: [{ port: 80 }] })).map(({ level, says }) => [level, says])
    expect(notes({ app: 'nobody' })).toEqual([['note', expect.stringContaining('selects no pod')]])
    expect(notes({ app: 'cold-chain' })).toEqual([])
  })
})

describe('fields that stand', () => {
  it('are not changed: selectors, templates of claims, addresses of services', () => {
    const climate = (selector: object) => ({
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'climate-loop', namespace: 'climate' },
      spec: { selector: { matchLabels: selector }, template: { metadata: { labels: selector } } },
    })
    expect(stops(climate({ app: 'climate-loop', tier: 'x' }))).toContainEqual(
      expect.stringMatching(/spec\.selector\.matchLabels\.tier cannot be changed once it is there/),
    )
    const ledger = (spec: object) => ({
      apiVersion: 'apps/v1',
      kind: 'StatefulSet',
      metadata: { name: 'gathering-ledger', namespace: 'gathering' },
      spec,
    })
    expect(stops(ledger({ serviceName: 'other' }))).toContainEqual(
      expect.stringMatching(/spec\.serviceName cannot be changed/),
    )
    expect(stops(ledger({ volumeClaimTemplates: [] }))).toContainEqual(
      expect.stringMatching(/spec\.volumeClaimTemplates cannot be changed/),
    )
    expect(stops(ledger({ replicas: 2 }))).toEqual([])
    const dns = {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'dns', namespace: 'platform' },
    }
    expect(stops({ ...dns, spec: { clusterIP: '10.121.0.99' } })).toContainEqual(
      'Service platform/dns: spec.clusterIP cannot be changed once it is there. It is 10.121.0.10; this would make it 10.121.0.99.',
    )
    expect(stops({ ...dns, spec: { clusterIP: '10.121.0.10' } })).toEqual([])
  })
})

describe('limit ranges', () => {
  const range = {
    apiVersion: 'v1',
    kind: 'LimitRange',
    metadata: { name: 'sizes', namespace: 'gathering' },
    spec: {
      limits: [
        {
          type: 'Container',
          min: { cpu: '100m' },
          max: { cpu: '2', memory: '1Gi' },
          default: { cpu: '500m' },
        },
      ],
    },
  }
  const sized = (resources: object) => deployment({}, { resources })
  it('forbid what is larger or smaller than they allow, defaults counted', () => {
    expect(stops([range, sized({ limits: { cpu: '3' } })])).toEqual([
      'Deployment gathering/seed-desk: desk has a limit of 3 for cpu; gathering/sizes allows at most 2.',
    ])
    expect(stops([range, sized({ requests: { cpu: '50m' } })])).toEqual([
      'Deployment gathering/seed-desk: desk has a request of 50m for cpu; gathering/sizes allows no less than 100m.',
    ])
    expect(stops([range, sized({})])).toEqual([])
  })
})

describe('gated pods', () => {
  it('are told of', () => {
    expect(
      check(deployment({ schedulingGates: [{ name: 'paperwork' }] })).map(({ level, says }) => [
        level,
        says,
      ]),
    ).toContainEqual(['note', expect.stringContaining('its pods wait until paperwork is taken')])
  })
})

describe('values and parts', () => {
  const wrongs = (object: object) =>
    invalidities(object as WrittenObject).map(({ path, says }) => `${path}: ${says}`)
  const ofContainer = (container: object, pod: object = {}) => wrongs(deployment(pod, container))
  const container = 'spec.template.spec.containers[0]'

  it.each<[string, string[], string]>([
    [
      'a word that is none of those it takes',
      ofContainer({ imagePullPolicy: 'Sometimes' }),
      `${container}.imagePullPolicy: “Sometimes” is none of Always, IfNotPresent and Never.`,
    ],
    [
      'a negative number',
      wrongs(deployment({}, {}, { minReadySeconds: -1 })),
      'spec.minReadySeconds: -1 is too small: the API takes 0 or more.',
    ],
    [
      'a probe with two handlers',
      ofContainer({ readinessProbe: { httpGet: { port: 80 }, tcpSocket: { port: 80 } } }),
      `${container}.readinessProbe.tcpSocket: This probe has httpGet and tcpSocket; it takes only one.`,
    ],
    [
      'a probe with none',
      ofContainer({ livenessProbe: { periodSeconds: 5 } }),
      `${container}.livenessProbe: This probe has none of exec, httpGet, tcpSocket and grpc; it needs one.`,
    ],
    [
      'a probe at no port',
      ofContainer({ livenessProbe: { httpGet: { port: 0 } } }),
      `${container}.livenessProbe.httpGet.port: 0 is out of range: the API takes 1 to 65535.`,
    ],
    [
      'a liveness probe that needs two successes',
      ofContainer({ livenessProbe: { httpGet: { port: 80 }, successThreshold: 2 } }),
      `${container}.livenessProbe.successThreshold: A liveness probe is passed by one success: successThreshold is 1.`,
    ],
    [
      'a volume of two sources',
      ofContainer({}, { volumes: [{ name: 'x', emptyDir: {}, configMap: { name: 'y' } }] }),
      'spec.template.spec.volumes[0].configMap: This volume has emptyDir and configMap; it takes only one.',
    ],
    [
      'a volume twice',
      ofContainer(
        {},
        {
          volumes: [
            { name: 'x', emptyDir: {} },
            { name: 'x', emptyDir: {} },
          ],
        },
      ),
      'spec.template.spec.volumes[1].name: The volume x stands twice.',
    ],
    [
      'a toleration with a value too many',
      ofContainer({}, { tolerations: [{ key: 'use', operator: 'Exists', value: 'storage' }] }),
      'spec.template.spec.tolerations[0].value: With operator Exists there is no value.',
    ],
    [
      'a roll-out that stands still',
      wrongs(
        deployment({}, {}, { strategy: { rollingUpdate: { maxSurge: 0, maxUnavailable: '0%' } } }),
      ),
      'spec.strategy.rollingUpdate.maxUnavailable: maxSurge and maxUnavailable are both 0: no pod could ever be replaced.',
    ],
    [
      'a field of another place',
      ofContainer({ nodeSelector: { a: 'b' } }),
      `${container}.nodeSelector: The API knows no field nodeSelector here and drops it.`,
    ],
    [
      'text where a number belongs',
      wrongs(deployment({}, {}, { replicas: 'two' })),
      'spec.replicas: "two" is not what belongs here: the API takes a whole number below 2,147,483,648.',
    ],
    [
      'an exception outside its block',
      wrongs({
        apiVersion: 'networking.k8s.io/v1',
        kind: 'NetworkPolicy',
        metadata: { name: 'x' },
        spec: {
          podSelector: {},
          egress: [{ to: [{ ipBlock: { cidr: '10.20.0.0/16', except: ['10.44.0.0/20'] } }] }],
        },
      }),
      'spec.egress[0].to[0].ipBlock.except[0]: 10.44.0.0/20 is not a part of 10.20.0.0/16.',
    ],
    [
      'a claim of nothing',
      wrongs({
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        metadata: { name: 'x' },
        spec: {},
      }),
      'spec.accessModes: A claim says how it is accessed, ReadWriteOnce for one node.',
    ],
    [
      'a key with a blank',
      wrongs({
        apiVersion: 'v1',
        kind: 'ConfigMap',
        metadata: { name: 'x' },
        data: { 'a b': '' },
      }),
      'data["a b"]: “a b” is no key: up to 253 letters, digits, -, _ and dots.',
    ],
  ])('%s is told of', (_name, told, wanted) => {
    expect(told).toContain(wanted)
  })

  it('say nothing against what is right', () => {
    expect(
      ofContainer(
        {
          ports: [{ name: 'http', containerPort: 8080 }],
          readinessProbe: { httpGet: { port: 'http', path: '/' }, periodSeconds: 5 },
          volumeMounts: [{ name: 'x', mountPath: '/x' }],
          resources: { requests: { cpu: 1, memory: '1Gi' } },
        },
        {
          volumes: [{ name: 'x', emptyDir: {} }],
          tolerations: [{ key: 'use', operator: 'Equal', value: 'storage', effect: 'NoSchedule' }],
        },
      ),
    ).toEqual([])
  })

  it('are read as the API reads YAML: `yes` is no text, 0644 is 420', () => {
    const text = (value: string) => `apiVersion: v1
kind: ConfigMap
metadata: { name: x, namespace: gathering }
data: { a: ${value} }
`
    expect(stops(text('yes'))).toEqual([
      'ConfigMap gathering/x (line 1), data.a: true is not what belongs here: the API takes text.',
    ])
    expect(stops(text('0644'))).toEqual([expect.stringContaining('data.a: 420 is not')])
    expect(stops(text("'yes'"))).toEqual([])
    expect(stops(`${text("'a'")}kind: Secret\n`)).toEqual([expect.stringMatching(/unique/i)])
  })
})
