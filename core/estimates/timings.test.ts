import { describe, expect, it } from 'vitest'
import { kindNamed } from '../kinds'
import { demoFleet } from '../testing/demo-fleet'
import { fewestRuns, timingFor, timingKey, timingOf, workOf } from '.'

const work = { verb: 'machine.create', site: 'palisade-east', size: 'post-4-16' }
const samples = (...seconds: number[]) => seconds.map((each, change) => ({ change, seconds: each }))

describe('what was observed', () => {
  it('is the median and the 95th percentile of what was last', () => {
    expect(timingOf(samples(10, 30, 20))).toEqual({ runs: 3, samples: 3, likely: 20, worst: 29 })
    const many = samples(...Array.from({ length: 100 }, (_, index) => (index < 60 ? 10 : 100)))
    expect(timingOf(many).likely).toBe(100)
  })

  it('counts once there are enough runs, of its size before all sizes', () => {
    const of = (runs: number, likely: number) => ({ runs, samples: runs, likely, worst: likely })
    const all = timingKey({ ...work, size: '' })
    expect(timingFor({ [timingKey(work)]: of(fewestRuns - 1, 5) }, work)).toBeNull()
    expect(
      timingFor({ [timingKey(work)]: of(fewestRuns - 1, 5), [all]: of(fewestRuns, 7) }, work),
    ).toMatchObject({ likely: 7 })
    expect(
      timingFor({ [timingKey(work)]: of(fewestRuns, 5), [all]: of(fewestRuns, 7) }, work),
    ).toMatchObject({ likely: 5 })
  })

  it('is none of Gyrarch’s own register, nor of what waits for a person', () => {
    expect(workOf({ verb: 'window.strike', args: { name: 'x' } }, () => 'mossgate')).toBeNull()
  })
})

describe('a plan', () => {
  const read = kindNamed('pool.resize')?.read({ cluster: 'bramble', pool: 'base', count: 4 })
  const draft = read?.ok ? read.draft : null

  it('takes what was observed in place of what was assumed, and says on how many runs it rests', () => {
    const fleet = demoFleet()
    const assumed = draft?.plan(fleet)
    const create = assumed?.steps.find(({ command }) => command.verb === 'machine.create')
    if (!create) throw new Error('nothing is created')
    const creation = workOf(create.command, () => 'palisade-east')
    if (!creation) throw new Error('no work')
    const timing = { runs: 9, samples: 12, likely: 500, worst: 700 }
    const plan = draft?.plan({ ...fleet, timings: { [timingKey(creation)]: timing } })
    expect(plan?.steps.find(({ id }) => id === create.id)?.seconds).toEqual({
      likely: 500,
      worst: 700,
      runs: 9,
    })
    expect(plan?.seconds.likely).toBeGreaterThan(assumed?.seconds.likely ?? Infinity)
    expect(draft?.plan({ ...fleet, timings: {} })).toEqual(assumed)
  })
})
