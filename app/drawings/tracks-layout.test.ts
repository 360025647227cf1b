import { describe, expect, it } from 'vitest'
import { axisTimes, placeMarks, scaleOf, xOf } from './tracks-layout'

const at = (minute: number) => new Date(Date.UTC(2026, 2, 2, 6, minute)).toISOString()
const scale = { from: Date.parse(at(0)), until: Date.parse(at(60)), width: 600 }

describe('tracks', () => {
  it('put marks where their times are, and leave out those beyond', () => {
    const marks = [at(30), at(10), at(90)].map((time) => ({ at: time, says: time, isCause: false }))
    expect(placeMarks(marks, scale).map(({ x }) => x)).toEqual([100, 300])
  })

  it('draw marks that would cover each other as one, a cause among them as a cause', () => {
    const marks = [
      { at: at(10), says: 'first', isCause: false },
      { at: at(10), says: 'second', isCause: true },
      { at: at(20), says: 'third', isCause: false },
    ]
    expect(placeMarks(marks, scale)).toEqual([
      { x: 100, count: 2, says: 'first', isCause: true },
      { x: 200, count: 1, says: 'third', isCause: false },
    ])
  })

  it('name whole times, no closer than they can be read', () => {
    const times = axisTimes(scale)
    expect(times.map((time) => new Date(time).toISOString())).toEqual(
      [0, 10, 20, 30, 40, 50, 60].map(at),
    )
    expect(axisTimes({ ...scale, width: 100 })).toHaveLength(2)
  })

  it('begin a while before what happened', () => {
    const own = scaleOf(at(20), at(50), 500)
    expect(xOf(Date.parse(at(20)), own)).toBeGreaterThan(100)
    expect(own.until).toBeGreaterThan(Date.parse(at(50)))
  })
})
