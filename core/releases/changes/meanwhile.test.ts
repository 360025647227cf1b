import { describe, expect, it } from 'vitest'
import type { Step } from '../../changes'
import { command } from '../../contract'
import { step } from '../../provisioning'
import { demoFleet } from '../../testing/demo-fleet'
import { spendMeanwhile } from './meanwhile'

const site = demoFleet().sites.find(({ name }) => name === 'tarn-north')
if (!site) throw new Error('the demo has tarn-north')
const [old] = site.machines
const size = site.sizes.find(({ name }) => name === old?.size)
if (!old || typeof size?.hourly !== 'number')
  throw new Error('a machine that has a price stands there')
const hour = size.hourly + (old.diskGb * site.prices.diskGbMonth) / 730

const create = (id: string, name: string, after: readonly string[], seconds: number): Step =>
  step({
    id,
    after,
    group: name,
    says: 'create',
    command: command('machine.create', {
      site: site.name,
      name,
      zone: old.zone,
      size: old.size,
      release: '1.33.2',
      rootDiskGb: old.diskGb,
      lifetime: 'on-demand',
      cluster: 'dill',
      apart: null,
      network: null,
      address: null,
    }),
    seconds: { likely: seconds, worst: seconds },
  })
const remove = (id: string, name: string, after: readonly string[], seconds: number): Step =>
  step({
    id,
    after,
    group: name,
    says: 'delete',
    command: command('machine.delete', { site: site.name, name }),
    seconds: { likely: seconds, worst: seconds },
  })

describe('what an upgrade costs while it runs', () => {
  it('is an hour of a machine that stands an hour beside', () => {
    const steps = [create('a', 'beside', [], 60), remove('b', 'beside', ['a'], 3600)]
    expect(spendMeanwhile(steps, site)).toBeCloseTo(hour, 9)
  })

  it('is less than none where a machine is missing until it is made anew', () => {
    const steps = [remove('a', old.name, [], 60), create('b', old.name, ['a'], 1800)]
    expect(spendMeanwhile(steps, site)).toBeCloseTo(-hour / 2, 9)
  })

  it('counts each time that one comes and goes, and nothing where none does', () => {
    const steps = [
      create('a', 'x', [], 60),
      remove('b', 'x', ['a'], 3600),
      create('c', 'x', ['b'], 60),
      remove('d', 'x', ['c'], 3600),
    ]
    expect(spendMeanwhile(steps, site)).toBeCloseTo(2 * hour, 9)
    expect(spendMeanwhile([], site)).toBe(0)
  })
})
