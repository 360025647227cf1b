import { describe, expect, it } from 'vitest'
import { isOfKind, objectOfKind, ofKind } from '.'

const pod = (name: string, namespace?: string) => ({
  kind: 'Pod',
  metadata: namespace === undefined ? { name } : { name, namespace },
})
const objects = [
  pod('desk', 'market'),
  { kind: 'Service', metadata: { name: 'desk', namespace: 'market' } },
  pod('desk'),
  { kind: 'Pod' },
  'Pod',
]

describe('objects by their kind', () => {
  it('are those of the kind that have a name, in their order', () => {
    expect(ofKind(objects, 'Pod').map(({ metadata }) => metadata.namespace)).toEqual([
      'market',
      undefined,
    ])
    expect(objects.map((object) => isOfKind(object, 'Service'))).toEqual([
      false,
      true,
      false,
      false,
      false,
    ])
  })

  it('are called by namespace and name, without a namespace in default', () => {
    expect(objectOfKind(objects, 'Pod', 'market/desk')).toBe(objects[0])
    expect(objectOfKind(objects, 'Pod', 'default/desk')).toBe(objects[2])
    expect(objectOfKind(objects, 'Service', 'default/desk')).toBeUndefined()
  })
})
