/** A board, or why there is none. */
import { expect, it } from 'vitest'
import { notPlaced, placed } from '.'

const clock = (...times: number[]) => {
  let turn = 0
  return () => times[turn++] ?? 0
}
const node = {
  kind: 'Node',
  metadata: { name: 'n-1' },
  status: { allocatable: { cpu: '4', memory: '8Gi', pods: '110' } },
}
const pod = {
  kind: 'Pod',
  metadata: { name: 'lamp', namespace: 'glass' },
  spec: { containers: [{ name: 'main', resources: { requests: { cpu: '1' } } }] },
}

it('places what waits, and says how long that took', () => {
  const { board, says, milliseconds } = placed([node, pod], [], clock(100, 130))
  expect(says).toBeNull()
  expect(milliseconds).toBe(30)
  expect(board?.nodes[0]?.pods.map(({ key, from }) => [key, from])).toEqual([['glass/lamp', null]])
})

it('tells the field of an object that cannot be placed', () => {
  const wrong = { ...node, status: { allocatable: { cpu: 'four' } } }
  const { board, says } = placed([wrong], [], clock(0, 5))
  expect(board).toBeNull()
  expect(says).toContain('objects[0].status.allocatable')
})

it('without objects there is a reason', () => {
  expect(notPlaced('Its API does not answer.')).toEqual({
    board: null,
    says: 'Its API does not answer.',
    milliseconds: 0,
  })
})
