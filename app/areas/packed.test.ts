import { describe, expect, it } from 'vitest'
import { packed, unpacked } from './packed'

describe('packed rows', () => {
  it('come out as they went in, and are shorter on the way', () => {
    const rows = [
      { name: 'cedar', nodes: 12, state: null },
      { name: 'elm "12"', nodes: 1, state: 'well' },
    ]
    expect(unpacked({ json: packed(rows).json })).toEqual(rows)
    expect(unpacked(packed(rows))).toBe(rows)
    expect(packed(rows).json.match(/nodes/g)).toHaveLength(1)
  })
  it('may be none', () => expect(unpacked({ json: packed([]).json })).toEqual([]))
})
