import { describe, expect, it } from 'vitest'
import { listedObjects } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { type BoardObject, boardObjects, boardOf, type WhatIf } from '.'
import { randomWorld } from './testing/worlds'

const asked = (board: ReturnType<typeof boardOf>): unknown => (board.ok ? board.board : board.says)

describe('the part of objects that a board is made of', () => {
  it('gives the same board as all of them, in a hundred small worlds', () => {
    for (let seed = 1; seed <= 100; seed++) {
      const objects = randomWorld(seed) as readonly BoardObject[]
      const [first] = objects.filter(({ kind }) => kind === 'Node')
      const whatIfs: readonly WhatIf[] = first
        ? [{ kind: 'drain', node: String((first.metadata as { readonly name: string }).name) }]
        : []
      for (const asking of [[], whatIfs])
        expect(asked(boardOf(boardObjects(objects), asking))).toEqual(
          asked(boardOf(objects, asking)),
        )
    }
  })

  it('gives the same board as all of them in a cluster of the demo, and is less than half as large', () => {
    const objects = listedObjects(demoFleet(), 'cedar') as readonly BoardObject[]
    const part = boardObjects(objects)
    expect(asked(boardOf(part, []))).toEqual(asked(boardOf(objects, [])))
    expect(JSON.stringify(part).length).toBeLessThan(JSON.stringify(objects).length / 2)
  })

  it('leaves out what is mounted into a pod from files, and keeps what binds it to a place', () => {
    const pod = {
      kind: 'Pod',
      metadata: { name: 'lamp', namespace: 'field', managedFields: [{}] },
      spec: {
        serviceAccountName: 'lamp',
        volumes: [
          { name: 'settings', configMap: { name: 'settings' } },
          { name: 'scratch', emptyDir: {} },
          { name: 'data', persistentVolumeClaim: { claimName: 'data' } },
        ],
        containers: [{ name: 'main', image: 'lamp:1', env: [{ name: 'A', value: 'b' }] }],
      },
      status: { phase: 'Running', podIP: '10.0.0.1' },
    }
    expect(boardObjects([pod])).toEqual([
      {
        kind: 'Pod',
        metadata: { name: 'lamp', namespace: 'field' },
        spec: {
          volumes: [
            { name: 'scratch', emptyDir: {} },
            { name: 'data', persistentVolumeClaim: { claimName: 'data' } },
          ],
          containers: [{ name: 'main' }],
        },
        status: { phase: 'Running' },
      },
    ])
  })
})
