import { expect, it } from 'vitest'
import { seeded } from '../../units'
import { slowTroubles, type TimedStep } from './slow'

const at = '2026-03-02T06:10:00Z'
const step = (site: string, factor: number, likely = 90): TimedStep => ({
  site,
  verb: 'machine.boot',
  change: 'c-1',
  likely,
  seconds: likely * factor,
  at,
})
/** Steps that scatter as those of the outside do: log-normal, by a quarter. */
function scattered(site: string, factor: number, count: number, seed: number): TimedStep[] {
  const draw = seeded(seed)
  const normal = (): number =>
    Math.sqrt(-2 * Math.log(Math.max(draw(), 1e-9))) * Math.cos(2 * Math.PI * draw())
  return Array.from({ length: count }, () => step(site, factor * Math.exp(0.25 * normal())))
}

it('names the site whose steps take half as long again, and those of another as evidence of nothing', () => {
  const steps = [
    ...Array.from({ length: 25 }, () => step('tarn-north', 1.5)),
    ...Array.from({ length: 25 }, () => step('mossgate', 1)),
  ]
  const [trouble, ...more] = slowTroubles(steps)
  expect(more).toEqual([])
  expect(trouble).toMatchObject({ cluster: 'tarn-north', subject: 'site/tarn-north', since: at })
  expect(trouble?.diagnosis.causes[0]).toMatchObject({
    cause: 'site-slow',
    about: 'site/tarn-north',
    says: 'work at tarn-north takes 1.5 times as long as was likely',
  })
})

it('says nothing of few steps, of very short ones, and of what scatters around what was likely', () => {
  expect(slowTroubles(Array.from({ length: 19 }, () => step('tarn-north', 3)))).toEqual([])
  expect(slowTroubles(Array.from({ length: 40 }, () => step('tarn-north', 3, 1)))).toEqual([])
  for (let seed = 1; seed <= 200; seed++)
    expect(slowTroubles(scattered('tarn-north', 1, 25, seed))).toEqual([])
})

it('sees through the scatter of a site that is slow', () => {
  const seen = Array.from({ length: 100 }, (_, seed) =>
    slowTroubles(scattered('tarn-north', 1.5, 40, seed + 1)),
  )
  expect(seen.filter((troubles) => troubles.length === 1).length).toBeGreaterThan(95)
})
