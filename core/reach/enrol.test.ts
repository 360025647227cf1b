/** What an enrolment proves of the cluster that joined. */
import { expect, it } from 'vitest'
import type { FleetView } from '../fleet'
import type { ApiObject } from '../objects'
import { demoFleet } from '../testing/demo-fleet'
import { clusterEnrol } from './enrol'

const intent = clusterEnrol.intent.parse({ name: 'cedar', reach: { kind: 'outbound' } })

function proofs(objects: readonly unknown[] | null) {
  const view = demoFleet()
  const seen: FleetView = {
    ...view,
    objects:
      objects === null
        ? {}
        : {
            cedar: {
              state: 'known',
              version: 1,
              at: view.now,
              value: objects as readonly ApiObject[],
            },
          },
  }
  return clusterEnrol.prove(intent, seen, {})
}

const readable = (objects: readonly unknown[] | null) =>
  proofs(objects).find(({ says }) => says === 'What it holds can be read')

const lamp = { kind: 'Pod', metadata: { name: 'lamp', namespace: 'glass' }, spec: {} }

it('counts what it lists', () => {
  expect(readable([lamp])).toMatchObject({ holds: true, observed: '1 object' })
  expect(readable([])).toMatchObject({ holds: true, observed: '0 objects' })
})

it('names the first object that is not as the API has it, and enrols the cluster all the same', () => {
  const odd = { ...lamp, metadata: { ...lamp.metadata, name: 'odd' }, spec: { nodeName: 7 } }
  const proof = readable([lamp, odd])
  expect(proof?.holds).toBe(true)
  expect(proof?.observed).toBe('2 objects; Pod glass/odd is not as the API has it at spec.nodeName')
})

it('does not hold where its lists did not come', () => {
  expect(readable(null)).toMatchObject({ holds: false, observed: 'its lists did not come' })
})
