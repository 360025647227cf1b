import { describe, expect, it } from 'vitest'
import { workloadsIn } from '~/core/fleet'
import { dayAhead } from '~/core/scaling'
import { gyrarchForAll, type Opened } from '../testing/open'

let opened: Opened
gyrarchForAll((made) => (opened = made))

describe('a day ahead for sensor-intake', () => {
  it('agrees with the day as the stand-ins then run it, within 5 %', async () => {
    const { gyrarch } = opened
    const { outside, fleet } = gyrarch
    const objects = (await fleet.objectsOf('bramble')) ?? []
    const from = outside.now
    // The curve is that of the day before, as its metrics told.
    const measured =
      (await outside.load('bramble', 'climate/sensor-intake', from - 86_400_000, from, 60_000)) ??
      []
    const curve = measured.map(({ at, value }) => ({
      seconds: (at - (from - 86_400_000)) / 1000,
      load: value,
    }))
    const dayRead = dayAhead({
      objects,
      workload: 'Deployment/climate/sensor-intake',
      min: 3,
      max: 16,
      target: 120,
      curve,
      from,
      hourly: () => 0.168,
    })
    if (!dayRead.ok) throw new Error(dayRead.says)
    const { day } = dayRead
    let replicaSeconds = 0
    let pendingSeconds = 0
    let max = 0
    let fewest = Infinity
    const step = 300
    for (let seconds = 0; seconds < 86_400; seconds += step) {
      const workload = workloadsIn((await fleet.objectsOf('bramble')) ?? []).find(
        (workload) => workload.name === 'sensor-intake',
      )
      const wanted = workload?.wanted ?? 0
      replicaSeconds += wanted * step
      pendingSeconds += (workload?.pods.filter((pod) => pod.node === null).length ?? 0) * step
      max = Math.max(max, wanted)
      fewest = Math.min(fewest, wanted)
      await outside.advance(step)
      await fleet.view()
    }
    expect(day.mostReplicas).toBe(12)
    expect({ most: max, fewest }).toEqual({ most: day.mostReplicas, fewest: day.fewestReplicas })
    expect(Math.abs(day.replicaSeconds - replicaSeconds) / replicaSeconds).toBeLessThan(0.05)
    expect(Math.abs(day.pendingPodSeconds - pendingSeconds)).toBeLessThanOrEqual(
      0.05 * Math.max(pendingSeconds, 86_400),
    )
  })
})
