import { expect, it } from 'vitest'
import { prepareWorld, walk, walkRemedies, walkWorldSchema } from '..'
import { wired } from '../testing/worlds'
import { changeFor } from './remedy-change'

const world = walkWorldSchema.parse(structuredClone(wired))
const read = prepareWorld(world)
if (!read.ok) throw new Error(read.says)
const ready = read.world

const changesFor = (from: string, to: string, port: number) => {
  const query = {
    from: { pod: from, cluster: 'bramble' },
    to: { address: to },
    port,
    protocol: 'TCP',
  } as const
  const found = walk(ready, query)
  if (!found.ok) throw new Error(found.says)
  return walkRemedies(ready, query, found.walk).map((remedy) => changeFor(world, remedy))
}

it('a pod whose address is not accepted may keep it: the change names the cluster and the range', () => {
  const changes = changesFor('market/desk', '10.88.4.20', 8443)
  expect(changes).toContainEqual({
    kind: 'wire.keep-source',
    intent: { cluster: 'bramble', add: ['10.88.4.20/32'] },
  })
})

it('a remedy whose place is not in the world is nobody’s to make', () => {
  const remedy = {
    kind: 'rule-off',
    says: '',
    patch: [{ op: 'remove', path: '/sites/99/firewall/0' }],
  }
  expect(changeFor(world, remedy as unknown as Parameters<typeof changeFor>[1])).toBeNull()
  const empty = { kind: 'rule-off', says: '', patch: [] }
  expect(changeFor(world, empty as unknown as Parameters<typeof changeFor>[1])).toBeNull()
})
