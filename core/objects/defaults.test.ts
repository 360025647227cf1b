import { describe, expect, it } from 'vitest'
import { defaulted, isSameTemplate } from './defaults'
import type { Json } from './json'

const of = (kind: string, spec: Json): Json => ({ kind, metadata: { name: 'desk' }, spec })
const specOf = (object: Json): Json => object['spec'] as Json
const template = (container: Json = {}, pod: Json = {}): Json => ({
  metadata: { labels: { app: 'desk' } },
  spec: { containers: [{ name: 'main', image: 'market/desk:2', ...container }], ...pod },
})

describe('what goes without saying', () => {
  it('of a pod is filled in, and what is said stands', () => {
    const pod = specOf(
      defaulted(
        of('Pod', {
          restartPolicy: 'Never',
          containers: [
            {
              name: 'main',
              image: 'market/desk:2',
              ports: [{ containerPort: 80 }, { containerPort: 53, protocol: 'UDP' }],
              resources: { limits: { cpu: '1', memory: '1Gi' }, requests: { cpu: '200m' } },
              readinessProbe: { httpGet: { port: 80 }, periodSeconds: 3 },
            },
          ],
          volumes: [{ name: 'settings', configMap: { name: 'desk' } }],
        }),
      ),
    )
    expect(pod).toMatchObject({
      restartPolicy: 'Never',
      terminationGracePeriodSeconds: 30,
      dnsPolicy: 'ClusterFirst',
      serviceAccountName: 'default',
      volumes: [{ name: 'settings', configMap: { name: 'desk', defaultMode: 420 } }],
      containers: [
        {
          imagePullPolicy: 'IfNotPresent',
          ports: [
            { containerPort: 80, protocol: 'TCP' },
            { containerPort: 53, protocol: 'UDP' },
          ],
          resources: { requests: { cpu: '200m', memory: '1Gi' } },
          readinessProbe: {
            httpGet: { port: 80, path: '/', scheme: 'HTTP' },
            periodSeconds: 3,
            failureThreshold: 3,
          },
        },
      ],
    })
  })

  it.each([
    ['market/desk', 'Always'],
    ['market/desk:latest', 'Always'],
    ['registry.fernhollow.example:5000/market/desk', 'Always'],
    ['registry.fernhollow.example:5000/market/desk:2', 'IfNotPresent'],
    ['market/desk@sha256:0f', 'IfNotPresent'],
  ])('image %s is pulled %s', (image, policy) => {
    const pod = specOf(defaulted(of('Pod', { containers: [{ name: 'main', image }] })))
    expect((pod['containers'] as readonly Json[])[0]?.['imagePullPolicy']).toBe(policy)
  })

  it.each([
    ['Deployment', {}, { replicas: 1, revisionHistoryLimit: 10 }],
    [
      'Deployment',
      { strategy: { rollingUpdate: { maxSurge: 1 } } },
      {
        strategy: { type: 'RollingUpdate', rollingUpdate: { maxSurge: 1, maxUnavailable: '25%' } },
      },
    ],
    ['Deployment', { strategy: { type: 'Recreate' } }, { strategy: { type: 'Recreate' } }],
    ['StatefulSet', {}, { podManagementPolicy: 'OrderedReady' }],
    [
      'DaemonSet',
      {},
      { updateStrategy: { type: 'RollingUpdate', rollingUpdate: { maxUnavailable: 1 } } },
    ],
    ['Job', {}, { completions: 1, parallelism: 1, backoffLimit: 6 }],
    ['CronJob', { suspend: true }, { suspend: true, concurrencyPolicy: 'Allow' }],
    [
      'Service',
      { clusterIP: '10.5.0.9', ports: [{ port: 80 }] },
      { type: 'ClusterIP', clusterIPs: ['10.5.0.9'], ports: [{ port: 80, targetPort: 80 }] },
    ],
    ['NetworkPolicy', { egress: [] }, { policyTypes: ['Ingress', 'Egress'] }],
    ['PersistentVolumeClaim', {}, { volumeMode: 'Filesystem' }],
    ['HorizontalPodAutoscaler', { minReplicas: 2 }, { minReplicas: 2 }],
  ])('of a %s that says %j is %j', (kind, given, filled) =>
    expect(specOf(defaulted(of(kind, given)))).toMatchObject(filled),
  )

  it('of a job that counts by its pods alone has no number of completions', () =>
    expect(specOf(defaulted(of('Job', { parallelism: 3 })))['completions']).toBeUndefined())

  it('changes nothing of a kind that leaves nothing unsaid', () => {
    const settings = { kind: 'ConfigMap', metadata: { name: 'desk' }, data: {} }
    expect(defaulted(settings)).toBe(settings)
  })

  it('is not filled in twice', () => {
    const once = defaulted(of('Deployment', { template: template() }))
    expect(defaulted(once)).toEqual(once)
  })
})

describe('two pod templates', () => {
  it('are the same whatever goes without saying, and in whatever order', () => {
    const whole = specOf(defaulted(of('Deployment', { template: template() })))['template'] as Json
    expect(isSameTemplate(template(), whole)).toBe(true)
    expect(isSameTemplate(template(), { spec: template()['spec'], ...template() })).toBe(true)
    expect(
      isSameTemplate(template(), {
        ...template(),
        metadata: { creationTimestamp: null, labels: { app: 'desk' } },
      }),
    ).toBe(true)
  })

  it('are others where they make other pods', () => {
    expect(isSameTemplate(template(), template({ image: 'market/desk:3' }))).toBe(false)
    expect(isSameTemplate(template(), template({}, { hostNetwork: true }))).toBe(false)
    expect(isSameTemplate(template(), template({ args: ['a', 'b'] }))).toBe(false)
  })
})
