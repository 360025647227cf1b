import { describe, expect, it } from 'vitest'
import { lookUp, prepareWorld, walkWorldSchema } from '.'
import { wired } from './testing/worlds'

const read = prepareWorld(walkWorldSchema.parse(structuredClone(wired)))
if (!read.ok) throw new Error(read.says)
const ask = (name: string) =>
  lookUp(read.world, { pod: 'market/desk', cluster: 'bramble' }, name)?.map((nameTry) => [
    nameTry.name,
    nameTry.addresses.length > 0,
  ])

describe('a name asked by a pod', () => {
  it('is searched from its own namespace outwards, and the first answer ends it', () => {
    expect(ask('ledger-view')).toEqual([['ledger-view.market.svc.cluster.local', true]])
    expect(ask('ledger-view.market')).toEqual([
      ['ledger-view.market.market.svc.cluster.local', false],
      ['ledger-view.market.svc.cluster.local', true],
    ])
  })
  it('with few dots is tried as it stands last, with a final dot alone', () => {
    expect(ask('bureau.fernhollow.example')?.map(([name]) => name)).toEqual([
      'bureau.fernhollow.example.market.svc.cluster.local',
      'bureau.fernhollow.example.svc.cluster.local',
      'bureau.fernhollow.example.cluster.local',
      'bureau.fernhollow.example',
    ])
    expect(ask('bureau.fernhollow.example.')).toEqual([['bureau.fernhollow.example', true]])
  })
  it('with five dots is tried as it stands first', () =>
    expect(ask('a.b.c.d.e.f')?.[0]).toEqual(['a.b.c.d.e.f', false]))
  it('tells who answered', () => {
    expect(
      lookUp(
        read.world,
        { pod: 'market/desk', cluster: 'bramble' },
        'bureau.fernhollow.example.',
      )?.[0],
    ).toMatchObject({
      addresses: ['10.88.4.20'],
      by: 'bureau.fernhollow.example',
      who: 'records of palisade-east',
    })
    expect(lookUp(read.world, { pod: 'market/nobody', cluster: 'bramble' }, 'x')).toBeNull()
  })
})
