import { describe, expect, it } from 'vitest'
import { record } from '~/core/objects'
import { jsonPatched, mergePatched, strategicPatched } from './patches'
import { ApiRefusal } from './status'

describe('a merge patch', () => {
  // The cases of RFC 7396, appendix A.
  it.each([
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
    [{ a: 'foo' }, null, null],
    [{ a: 'foo' }, 'bar', 'bar'],
    [{ e: null }, { a: 1 }, { e: null, a: 1 }],
    [[1, 2], { a: 'b', c: null }, { a: 'b' }],
    [{}, { a: { bb: { ccc: null } } }, { a: { bb: {} } }],
  ])('of %j with %j is %j', (object, patch, result) => {
    expect(mergePatched(object, patch)).toEqual(result)
  })

  it('keeps a field called __proto__ a field', () => {
    const patch: unknown = JSON.parse('{"__proto__":{"a":1}}')
    expect(JSON.stringify(mergePatched({}, patch))).toBe('{"__proto__":{"a":1}}')
  })
})

describe('a strategic merge patch', () => {
  const pod = {
    containers: [
      { name: 'web', image: 'web:1', env: [{ name: 'A', value: '1' }] },
      { name: 'side', image: 'side:1' },
    ],
    tolerations: [{ key: 'gpu' }],
  }
  /** The spec of a pod with a patch of it applied. */
  const ofPod = (patch: object): unknown =>
    record(strategicPatched({ kind: 'Pod', spec: pod }, { spec: patch }))['spec']

  it('merges lists by their keys, and replaces those without', () => {
    const patched = ofPod({
      containers: [{ name: 'web', env: [{ name: 'B', value: '2' }] }],
      tolerations: [{ key: 'disk' }],
    })
    expect(patched).toEqual({
      containers: [
        {
          name: 'web',
          image: 'web:1',
          env: [
            { name: 'A', value: '1' },
            { name: 'B', value: '2' },
          ],
        },
        { name: 'side', image: 'side:1' },
      ],
      tolerations: [{ key: 'disk' }],
    })
  })

  it('deletes and replaces what its directives say', () => {
    const gone = ofPod({ containers: [{ name: 'side', $patch: 'delete' }] })
    expect(gone).toMatchObject({ containers: [{ name: 'web' }] })
    const whole = { containers: [{ $patch: 'replace' }, { name: 'only', image: 'only:1' }] }
    expect(ofPod(whole)).toMatchObject({
      containers: [{ name: 'only', image: 'only:1' }],
    })
    expect(strategicPatched({ a: { x: 1, y: 2 } }, { a: { $patch: 'replace', z: 3 } })).toEqual({
      a: { z: 3 },
    })
  })

  it('keeps the keys it names, and puts items in the order it wants', () => {
    const strategy = { type: 'RollingUpdate', rollingUpdate: { maxSurge: 1 } }
    expect(strategicPatched(strategy, { $retainKeys: ['type'], type: 'Recreate' })).toEqual({
      type: 'Recreate',
    })
    const ordered = ofPod({
      '$setElementOrder/containers': [{ name: 'side' }, { name: 'web' }],
    })
    expect(ordered).toMatchObject({ containers: [{ name: 'side' }, { name: 'web' }] })
  })

  it('merges finalizers, and takes away those it lists', () => {
    const object = { metadata: { finalizers: ['a', 'b'] } }
    expect(strategicPatched(object, { metadata: { finalizers: ['c'] } })).toEqual({
      metadata: { finalizers: ['a', 'b', 'c'] },
    })
    expect(
      strategicPatched(object, { metadata: { '$deleteFromPrimitiveList/finalizers': ['a'] } }),
    ).toEqual({ metadata: { finalizers: ['b'] } })
  })

  it('tells lists of one name apart by what holds them', () => {
    const rule = { podSelector: {}, ingress: [{ ports: [{ port: 80 }, { port: 81 }] }] }
    expect(
      strategicPatched(
        { kind: 'NetworkPolicy', spec: rule },
        { spec: { ingress: [{ ports: [{ port: 82 }] }] } },
      ),
    ).toEqual({
      kind: 'NetworkPolicy',
      spec: { podSelector: {}, ingress: [{ ports: [{ port: 82 }] }] },
    })
    const service = { kind: 'Service', spec: { ports: [{ port: 80, targetPort: 8080 }] } }
    expect(strategicPatched(service, { spec: { ports: [{ port: 80, name: 'http' }] } })).toEqual({
      kind: 'Service',
      spec: { ports: [{ port: 80, targetPort: 8080, name: 'http' }] },
    })
    const node = { kind: 'Node', spec: { taints: [{ key: 'a', effect: 'NoSchedule' }] } }
    expect(
      strategicPatched(node, { spec: { taints: [{ key: 'b', effect: 'NoExecute' }] } }),
    ).toEqual({ kind: 'Node', spec: { taints: [{ key: 'b', effect: 'NoExecute' }] } })
  })

  it('is refused where an item lacks its key, or a directive is none', () => {
    expect(() => ofPod({ containers: [{ image: 'x' }] })).toThrow(ApiRefusal)
    expect(() => strategicPatched(pod, { $patch: 'melt' })).toThrow(ApiRefusal)
  })
})

it('a JSON patch that fails is a refusal with its reason', () => {
  const test = [{ op: 'test', path: '/a', value: 2 }]
  expect(() => jsonPatched({ a: 1 }, test)).toThrow(/Test operation failed/)
  expect(() => jsonPatched({ a: 1 }, {})).toThrow(/list of operations/)
})
