/** Lists that a thread keeps: sent once, and then only what has become another. */
import { expect, it } from 'vitest'
import { type ListMessage, ListsHeld, ListsSent } from './lists'

const objects = (count: number, from = 0) =>
  Array.from({ length: count }, (_, i) => ({ name: `lamp-${from + i}` }))

function linked() {
  const sent = new ListsSent()
  const held = new ListsHeld()
  let crossed = 0
  let atOnce = 0
  const tell = (key: string, list: readonly object[]): readonly unknown[] | null => {
    let last: readonly unknown[] | null = null
    crossed = 0
    for (const message of sent.messages(key, list)) {
      const there: ListMessage = structuredClone(message)
      if (there.what === 'objects') {
        crossed += there.fresh.length
        atOnce = Math.max(atOnce, there.fresh.length)
      }
      last = held.take(there)
    }
    return last
  }
  return { sent, held, tell, crossed: () => crossed, atOnce: () => atOnce }
}

it('makes the same list on the other side, in its order, some objects at a time', () => {
  const { tell, crossed, atOnce } = linked()
  const list = objects(1234)
  expect(tell('objects/cedar', list)).toEqual(list)
  expect(crossed()).toBe(1234)
  expect(atOnce()).toBeLessThan(500)
})

it('sends of a list that has changed only what is new, and forgets what left it', () => {
  const { tell, crossed } = linked()
  const list = objects(20)
  tell('objects/cedar', list)
  const [lamp, ...rest] = list
  const next = [...rest.toReversed(), { name: 'lantern' }]
  expect(tell('objects/cedar', next)).toEqual(next)
  expect(crossed()).toBe(1)
  expect(tell('objects/cedar', [lamp ?? {}])).toEqual([lamp])
  expect(crossed()).toBe(1)
})

it('holds the same object under two keys for each of them', () => {
  const { tell, crossed } = linked()
  const list = objects(3)
  tell('objects/cedar', list)
  expect(tell('objects/dill', list)).toEqual(list)
  expect(crossed()).toBe(3)
})

it('sends all of it again once it was dropped on both sides', () => {
  const { tell, sent, held, crossed } = linked()
  const list = objects(3)
  tell('objects/cedar', list)
  sent.drop('objects/cedar')
  held.drop('objects/cedar')
  expect(tell('objects/cedar', list)).toEqual(list)
  expect(crossed()).toBe(3)
})

it('counts an object as sent only once its list is whole: what was left half way is sent anew', () => {
  const { tell, sent, held } = linked()
  const list = objects(500)
  const [begun] = sent.messages('objects/cedar', list)
  if (begun) held.take(structuredClone(begun))
  expect(tell('objects/cedar', list)).toEqual(list)
})

it('an empty list is a list', () => {
  expect(linked().tell('objects/cedar', [])).toEqual([])
})
