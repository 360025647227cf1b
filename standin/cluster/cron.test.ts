import { describe, expect, it } from 'vitest'
import { demoScenario } from '../../server/connectors/standin/demo'
import { buildWorld } from '../build'
import { Simulator } from '../engine/simulator'
import { nextDue } from './cron'

const at = (iso: string): number => Date.parse(iso)

describe('the next time of a schedule', () => {
  it.each([
    ['0 2 * * *', 'UTC', '2026-03-02T01:00:00Z', '2026-03-02T02:00:00Z'],
    ['0 2 * * *', 'UTC', '2026-03-02T02:00:00Z', '2026-03-03T02:00:00Z'],
    ['0 2 * * *', 'Europe/Berlin', '2026-03-02T02:00:00Z', '2026-03-03T01:00:00Z'],
    // In the night in which clocks go forward there is no half past two.
    ['30 2 * * *', 'Europe/Berlin', '2026-03-28T12:00:00Z', '2026-03-30T00:30:00Z'],
    ['*/15 * * * *', 'UTC', '2026-03-02T06:07:00Z', '2026-03-02T06:15:00Z'],
  ])('%s in %s after %s', (schedule, zone, after, due) =>
    expect(new Date(nextDue(schedule, zone, at(after)) ?? 0).toISOString()).toBe(
      due.replace('Z', '.000Z'),
    ),
  )
  it('is none for what does not parse', () => {
    expect(nextDue('every day', 'UTC', 0)).toBeNull()
    expect(nextDue('0 2 * * *', 'Nowhere/Land', 0)).toBeNull()
  })
})

it('a due CronJob makes a job, and its next time is queued', () => {
  const scenario = demoScenario()
  const start = Date.parse(scenario.start)
  const sim = new Simulator(buildWorld(scenario, 1), start)
  sim.begin()
  const jobs = (): readonly string[] =>
    Object.values(sim.world.clusters).flatMap((cluster) =>
      cluster.workloads
        .filter((workload) => workload.kind === 'Job')
        .map((workload) => workload.name),
    )
  const before = jobs().length
  sim.run(start + 2 * 86_400_000)
  const made = jobs()
  expect(made.length).toBeGreaterThan(before)
  expect(new Set(made).size).toBe(made.length)
})

describe('the jobs of a CronJob', () => {
  const image = 'registry.fernhollow.example/market/market-desk:2'
  const nightly = {
    apiVersion: 'batch/v1',
    kind: 'CronJob',
    metadata: { name: 'count', namespace: 'market' },
    spec: {
      schedule: '*/5 * * * *',
      jobTemplate: {
        spec: {
          template: { spec: { restartPolicy: 'Never', containers: [{ name: 'main', image }] } },
        },
      },
    },
  }

  it('are owned by it, four at most are kept, and they go with it', () => {
    const scenario = demoScenario()
    const sim = new Simulator(buildWorld(scenario, 1), Date.parse(scenario.start))
    const run = (verb: string, args: object, seconds: number): void => {
      sim.command(`${verb} ${sim.now}`, verb, { cluster: 'bramble', ...args })
      const until = sim.now + seconds * 1000
      while (sim.now < until) {
        sim.run(until)
        sim.drain()
      }
    }
    const left = () => ({
      jobs: sim.cluster('bramble')?.workloads.filter(({ kind }) => kind === 'Job') ?? [],
      pods: sim.cluster('bramble')?.running.filter(({ name }) => name.startsWith('count-')) ?? [],
    })
    run('objects.apply', { objects: [nightly] }, 3600)
    const { jobs, pods } = left()
    expect(jobs.length).toBeGreaterThanOrEqual(3)
    expect(jobs.length).toBeLessThanOrEqual(4)
    expect(pods.length).toBe(jobs.length)
    for (const { manifest } of jobs)
      expect(manifest?.metadata['ownerReferences']).toEqual([
        { apiVersion: 'batch/v1', kind: 'CronJob', name: 'count', controller: true },
      ])
    run('objects.remove', { objects: [nightly] }, 60)
    expect(left()).toEqual({ jobs: [], pods: [] })
  })
})
