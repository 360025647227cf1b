import { expect, it } from 'vitest'
import { prepareWorld, walk, type WalkRemedy, walkRemedies, walkWorldSchema } from '..'
import { wired } from '../testing/worlds'
import { changeFor } from './remedy-change'

const world = walkWorldSchema.parse(structuredClone(wired))
const read = prepareWorld(world)
if (!read.ok) throw new Error(read.says)
const ready = read.world

const remediesFor = (from: string, to: string, port: number): readonly WalkRemedy[] => {
  const query = {
    from: { pod: from, cluster: 'bramble' },
    to: { address: to },
    port,
    protocol: 'TCP',
  } as const
  const walkRead = walk(ready, query)
  if (!walkRead.ok) throw new Error(walkRead.says)
  return walkRemedies(ready, query, walkRead.walk)
}

it('a pod whose address is not accepted may keep it: the change names the cluster and the range', () => {
  const remedies = remediesFor('market/desk', '10.88.4.20', 8443)
  expect(remedies.map((remedy) => changeFor(world, remedy))).toContainEqual({
    kind: 'wire.keep-source',
    intent: { cluster: 'bramble', add: ['10.88.4.20/32'] },
  })
})

it('a remedy whose place is not in the world, or that patches nothing, is nobody’s to make', () => {
  const [remedy] = remediesFor('market/desk', '10.88.4.20', 8443)
  if (!remedy) throw new Error('the walk has no remedy')
  const elsewhere = { op: 'add', path: '/clusters/99/keepSource/-', value: '10.0.0.0/8' } as const
  expect(changeFor(world, { ...remedy, patch: [elsewhere] })).toBeNull()
  expect(changeFor(world, { ...remedy, patch: [] })).toBeNull()
})
