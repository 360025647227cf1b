import { describe, expect, it } from 'vitest'
import { causeField, fieldText } from './field-paths'
import { allOwners, fieldAt, fieldsOf, managedFields, withFields } from './fields'

const service = {
  apiVersion: 'v1',
  kind: 'Service',
  metadata: { name: 'names', finalizers: ['keep.fernhollow.example/a'] },
  spec: {
    ports: [
      { name: 'udp', port: 53, protocol: 'UDP' },
      { name: 'tcp', port: 53 },
    ],
  },
}
const spec = '/spec/ports/[port=53,protocol='

const deployment = (container: object) => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name: 'web' },
  spec: { template: { spec: { containers: [{ name: 'web', ...container }] } } },
})
const container = '/spec/template/spec/containers/[name=web]'

describe('the fields of an object', () => {
  it('tell ports apart by number and protocol, which is TCP where none is said', () => {
    expect([...fieldsOf(service)].filter(([path]) => path.startsWith('/spec'))).toEqual([
      [`${spec}UDP]/name`, 'udp'],
      [`${spec}UDP]/port`, 53],
      [`${spec}UDP]/protocol`, 'UDP'],
      [`${spec}TCP]/name`, 'tcp'],
      [`${spec}TCP]/port`, 53],
    ])
    expect(fieldAt(service, `${spec}TCP]/name`)).toBe('tcp')
  })

  it('take each finalizer as one of a set', () => {
    const path = '/metadata/finalizers/[=keep.fernhollow.example~1a]'
    expect(fieldsOf(service).get(path)).toBe('keep.fernhollow.example/a')
    expect(fieldAt(service, path)).toBe('keep.fernhollow.example/a')
    const named = '/metadata/finalizers/[=b]'
    const both = withFields(service, [], [[named, 'b']])
    expect(both.metadata.finalizers).toEqual(['keep.fernhollow.example/a', 'b'])
    expect(withFields(both, [path], []).metadata.finalizers).toEqual(['b'])
    expect(withFields(service, [path], []).metadata).toEqual({ name: 'names' })
  })

  it('keep a list as one value where items are alike, lack their key, or the API has no key', () => {
    const twice = deployment({ ports: [{ containerPort: 80 }, { containerPort: 80 }] })
    expect(fieldsOf(twice).get(`${container}/ports`)).toHaveLength(2)
    const without = deployment({ env: [{ value: '1' }] })
    expect(fieldsOf(without).get(`${container}/env`)).toEqual([{ value: '1' }])
    const policy = {
      apiVersion: 'networking.k8s.io/v1',
      kind: 'NetworkPolicy',
      spec: { ingress: [{ ports: [{ port: 80 }] }] },
    }
    expect([...fieldsOf(policy).keys()]).toContain('/spec/ingress')
    const autoscaler = {
      apiVersion: 'autoscaling/v2',
      kind: 'HorizontalPodAutoscaler',
      spec: { metrics: [{ type: 'Resource' }] },
    }
    expect([...fieldsOf(autoscaler).keys()]).toContain('/spec/metrics')
  })

  it('are values of their own in objects that are not the open API’s', () => {
    const valve = {
      apiVersion: 'valves.fernhollow.example/v1',
      kind: 'Valve',
      spec: { containers: [{ name: 'a' }] },
    }
    expect(fieldsOf(valve).get('/spec/containers')).toEqual([{ name: 'a' }])
  })

  it('are found again by their paths, whatever stands in a name', () => {
    const mounted = deployment({
      volumeMounts: [{ mountPath: '/a,name=b/[x]=~', name: 'data' }],
    })
    for (const [path, value] of fieldsOf(mounted)) expect(fieldAt(mounted, path)).toEqual(value)
    const empty = { apiVersion: 'apps/v1', kind: 'Deployment' }
    expect(withFields(empty, [], fieldsOf(mounted))).toEqual(mounted)
    expect(withFields(mounted, fieldsOf(mounted).keys(), [])).toEqual({})
  })

  it('make an item with what names it, and take it away with its last field', () => {
    const made = withFields({ kind: 'Service', spec: {} }, [], [[`${spec}UDP]/targetPort`, 5353]])
    expect(made.spec).toEqual({ ports: [{ port: 53, protocol: 'UDP', targetPort: 5353 }] })
    expect(
      withFields(service, [`${spec}UDP]/name`, `${spec}UDP]/port`, `${spec}UDP]/protocol`], []).spec
        .ports,
    ).toEqual([{ name: 'tcp', port: 53 }])
  })
})

describe('owners of fields', () => {
  it('are told by keys and values as the API does, and read back', () => {
    const owners = Object.fromEntries(
      [...fieldsOf(service).keys()]
        .filter((path) => /^.(spec|metadata.f)/.test(path))
        .map((path) => [path, 'team-files']),
    )
    const [entry] = managedFields(owners)
    expect(entry?.fieldsV1).toEqual({
      'f:metadata': { 'f:finalizers': { 'v:"keep.fernhollow.example/a"': {} } },
      'f:spec': {
        'f:ports': {
          'k:{"port":53,"protocol":"UDP"}': { 'f:name': {}, 'f:port': {}, 'f:protocol': {} },
          'k:{"port":53,"protocol":"TCP"}': { 'f:name': {}, 'f:port': {} },
        },
      },
    })
    expect(allOwners([entry])).toEqual(owners)
  })

  it('pass over names that are none', () => {
    const fieldsV1 = { 'k:{': { 'f:a': {} }, 'k:[1]': { 'f:a': {} }, 'i:0': {}, 'f:b': {} }
    expect(allOwners([{ manager: 'x', operation: 'Apply', fieldsV1 }])).toEqual({ '/b': 'x' })
  })
})

it('a path reads as people and as the API write it', () => {
  const path = `${container}/ports/[containerPort=80,protocol=TCP]/name`
  expect(fieldText(path)).toBe('spec.template.spec.containers[web].ports[80 TCP].name')
  expect(causeField(path)).toBe(
    '.spec.template.spec.containers[name="web"].ports[containerPort=80,protocol="TCP"].name',
  )
})
