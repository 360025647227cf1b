/** From where the board tells that pods have moved, against where their objects say that they stand. */
import { describe, expect, it } from 'vitest'
import { z } from 'zod'
import { listedObjects } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { type Board, type BoardObject, boardOf, type WhatIf } from '.'
import { randomWorld } from './testing/worlds'

const boardAfter = (objects: readonly BoardObject[], whatIfs: readonly WhatIf[]): Board => {
  const read = boardOf(objects, whatIfs, false)
  if (!read.ok) throw new Error(read.says)
  return read.board
}

const listed = z.array(
  z.looseObject({
    kind: z.string(),
    metadata: z.looseObject({ name: z.string(), namespace: z.string().default('default') }),
    spec: z.looseObject({ nodeName: z.string().nullish() }).nullish(),
  }),
)

const nodesByPod = (objects: readonly BoardObject[]): ReadonlyMap<string, string | null> =>
  new Map(
    listed
      .parse(objects)
      .filter(({ kind }) => kind === 'Pod')
      .map(({ metadata, spec }) => [
        `${metadata.namespace}/${metadata.name}`,
        spec?.nodeName ?? null,
      ]),
  )
const nodeNames = (objects: readonly BoardObject[]): readonly string[] =>
  listed
    .parse(objects)
    .filter(({ kind }) => kind === 'Node')
    .map(({ metadata }) => metadata.name)

/** Every pod of the board that was there before stands where it did, or is told to have come from there. */
function expectToldFrom(objects: readonly BoardObject[], { nodes }: Board): number {
  const before = nodesByPod(objects)
  let moved = 0
  for (const { name, pods } of nodes)
    for (const { key, from } of pods) {
      const was = before.get(key)
      if (was === undefined) continue
      if (from !== undefined) moved++
      expect(`${key} from ${from === undefined ? name : from}`).toBe(`${key} from ${was}`)
    }
  return moved
}

describe('pods that a drain moves', () => {
  const objects = listedObjects(demoFleet(), 'cedar') as readonly BoardObject[]

  it('are told from where in a cluster of the demo, whichever node is drained', () => {
    let moved = 0
    for (const node of nodeNames(objects)) {
      const board = boardAfter(objects, [{ kind: 'drain', node }])
      moved += expectToldFrom(objects, board)
      expect(board.moves.every(({ from, to }) => from !== to)).toBe(true)
    }
    expect(moved).toBeGreaterThan(4)
  })

  it('those of a StatefulSet among them', () => {
    const before = nodesByPod(objects)
    const [pod, node] =
      [...before].find(([key]) => key.startsWith('gathering/gathering-ledger')) ?? []
    const board = boardAfter(objects, [{ kind: 'drain', node: node ?? '' }])
    const move = board.moves.find((each) => each.pod === pod)
    // A copy that its volume binds to the zone may have to wait; then it is told to wait and not to have moved.
    if (move) expect(move.from).toBe(node)
    else expect(JSON.stringify(board)).toContain(pod ?? '?')
  })

  it('are told from where in a hundred small worlds', () => {
    let moved = 0
    for (let seed = 1; seed <= 100; seed++) {
      const world = randomWorld(seed) as readonly BoardObject[]
      const [node] = nodeNames(world)
      moved += expectToldFrom(world, boardAfter(world, node ? [{ kind: 'drain', node }] : []))
    }
    expect(moved).toBeGreaterThan(20)
  })

  it('nothing is told to have moved where nothing was drained', () => {
    expect(boardAfter(objects, []).moves.filter(({ from }) => from !== null)).toEqual([])
  })
})
