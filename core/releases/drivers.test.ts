/** Who goes first among clusters that drive one another. */
import { expect, it } from 'vitest'
import { bareCluster } from '../testing/bare'
import { driversAmong, wavesAmong } from './changes/drivers'

const clusters = (drives: Readonly<Record<string, readonly string[]>>) =>
  Object.entries(drives).map(([name, driven]) => ({
    ...bareCluster(name, 'mossgate'),
    drives: driven,
  }))

it('puts a driver before all it drives, however they are listed', () => {
  const waves = wavesAmong(clusters({ c: [], b: ['c'], a: ['b', 'c'], d: [] }))
  expect(Object.fromEntries(waves)).toEqual({ a: 1, b: 2, c: 3, d: 1 })
})

it('knows no order within a circle, and keeps what drives it or is driven by it apart', () => {
  const round = clusters({ out: ['a'], a: ['b'], b: ['a', 'end'], end: [], self: ['self'] })
  expect(Object.fromEntries(driversAmong(round))).toEqual({
    out: [],
    a: ['out'],
    b: [],
    end: ['b'],
    self: [],
  })
  expect(Object.fromEntries(wavesAmong(round))).toMatchObject({ out: 1, a: 2, end: 2, self: 1 })
})
