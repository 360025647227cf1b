import { describe, expect, it } from 'vitest'
import type { ExpectationView } from '../fleet'
import { expectedIn, prepareWorld, walkWorldSchema } from '.'
import { wired } from './testing/worlds'

const read = prepareWorld(walkWorldSchema.parse(structuredClone(wired)))
if (!read.ok) throw new Error(read.says)
const expectation = (more: Partial<ExpectationView>): ExpectationView => ({
  name: 'x',
  from: { pod: 'market/desk', cluster: 'bramble' },
  to: { service: 'market/ledger-view', cluster: 'bramble' },
  port: 443,
  protocol: 'TCP',
  delivered: true,
  ...more,
})

describe('what is expected', () => {
  it('holds where the walk ends as it is to', () => {
    expect(expectedIn(read.world, expectation({}))).toMatchObject({ holds: true, hop: 'way-back' })
    expect(expectedIn(read.world, expectation({ delivered: false })).holds).toBe(false)
    expect(
      expectedIn(
        read.world,
        expectation({ from: { pod: 'market/broker', cluster: 'bramble' }, delivered: false }),
      ),
    ).toMatchObject({ holds: true, hop: 'policy-in', by: ['market/ledger-callers'] })
  })
  it('takes a workload’s name for its first pod', () =>
    expect(
      expectedIn(
        read.world,
        expectation({ to: { pod: 'market/ledger', cluster: 'bramble' }, port: 8443 }),
      ).holds,
    ).toBe(true))
  it('that cannot be walked does not hold, and says why', () => {
    expect(
      expectedIn(read.world, expectation({ from: { pod: 'market/gone', cluster: 'bramble' } })),
    ).toMatchObject({
      holds: false,
      says: expect.stringContaining('has no pod market/gone') as string,
    })
    expect(expectedIn(read.world, expectation({ from: {} })).holds).toBe(false)
  })
})
