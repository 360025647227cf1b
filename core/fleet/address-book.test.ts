import { describe, expect, it } from 'vitest'
import { demoFleet } from '../testing/demo-fleet'
import { addressBook, type BookEntry, carveFrom, collisions } from '.'

const book = addressBook(demoFleet())

const entry = (
  name: string,
  range: string,
  kind: BookEntry['kind'] = 'network',
  domain = 'fernhollow',
): BookEntry => ({ domain, range, name, kind, about: null })

describe('the address book', () => {
  it('is in order of domain and address', () => {
    expect([...new Set(book.map((bookEntry) => bookEntry.domain))]).toEqual([
      'fernhollow',
      'kilnlane',
    ])
    const mossgate = book
      .filter((bookEntry) => bookEntry.range.startsWith('10.20.0.'))
      .map((bookEntry) => bookEntry.range)
    expect(mossgate.slice(0, 4)).toEqual(['10.20.0.0/24', '10.20.0.1', '10.20.0.10', '10.20.0.11'])
    expect(mossgate.at(-1)).toBe('10.20.0.200-10.20.0.239')
  })

  it('of the scenario holds no collision', () => expect(collisions(book)).toEqual([]))
})

describe('a collision', () => {
  it('is found in one domain, and not across domains', () => {
    expect(collisions([...book, entry('new', '10.124.128.0/17', 'pods')])).toEqual([
      {
        domain: 'fernhollow',
        a: 'bramble pods',
        b: 'new',
        first: '10.124.128.0',
        last: '10.124.255.255',
        count: '32768',
      },
    ])
    expect(collisions([...book, entry('new', '10.124.128.0/17', 'pods', 'kilnlane')])).toEqual([])
  })

  it('is none where one is cut from an entered block, or lies in a network on purpose', () => {
    expect(
      collisions([entry('block', '10.0.0.0/8', 'entered'), entry('net', '10.1.0.0/16')]),
    ).toEqual([])
    expect(
      collisions([entry('net', '10.1.0.0/16'), entry('DHCP', '10.1.0.10-10.1.0.20', 'DHCP')]),
    ).toEqual([])
    expect(
      collisions([entry('net', '10.0.0.0/8'), entry('block', '10.1.0.0/16', 'entered')]),
    ).toHaveLength(1)
  })
})

describe('carving from the book', () => {
  it('finds the fourth /22 of palisade-east free', () => {
    expect(carveFrom(book, 'fernhollow', '10.44.0.0/20', [22])).toEqual({
      ok: true,
      carved: { blocks: [{ prefix: 22, block: '10.44.12.0/22' }], unfit: [] },
    })
  })
  it('names the corrected form of a range with host bits', () =>
    expect(carveFrom(book, 'fernhollow', '10.44.0.1/20', [22])).toMatchObject({
      ok: false,
      says: expect.stringContaining('10.44.0.0/20'),
    }))
})
