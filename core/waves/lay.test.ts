/** Stages laid into windows, held against trying every minute. */
import { expect, it } from 'vitest'
import { seeded } from '../units'
import type { Occurrence } from '../windows'
import { type LaidStage, layStages, type Stage, stageMistake } from './lay'

const minute = 60_000

/** The same by trying every minute. */
function byMinutes(
  stages: readonly Stage[],
  occurrencesOf: (cluster: string) => readonly Occurrence[],
  atOnce: number,
  from: number,
  until: number,
) {
  const placed: (LaidStage & { readonly cluster: string })[] = []
  const reasons: string[] = []
  for (const stage of stages) {
    const length = stage.minutes * minute
    const own = occurrencesOf(stage.cluster)
    const waits = (stage.after ?? []).map((name) => placed.find((each) => each.name === name))
    const isFree = (start: number): boolean => {
      const over = placed.filter((each) => each.start < start + length && each.end > start)
      if (over.some((each) => each.cluster === stage.cluster)) return false
      for (let at = start; at < start + length; at += minute)
        if (over.filter((each) => each.start <= at && each.end > at).length >= atOnce) return false
      return true
    }
    let start: number | null = null
    if (waits.every((each) => each !== undefined))
      for (let at = from; at + length <= until && start === null; at += minute)
        if (
          waits.every((each) => (each?.end ?? 0) <= at) &&
          own.some((window) => window.start <= at && at + length <= window.end) &&
          isFree(at)
        )
          start = at
    if (start !== null)
      placed.push({ name: stage.name, cluster: stage.cluster, start, end: start + length })
    else if (own.length === 0) reasons.push(`${stage.name} no-window`)
    else if (!own.some((window) => window.end - window.start >= length))
      reasons.push(`${stage.name} window-too-short`)
    else if (waits.some((each) => each === undefined))
      reasons.push(`${stage.name} waits-for-unplaced`)
    else reasons.push(`${stage.name} no-room`)
  }
  return { placed: placed.map(({ cluster: _, ...each }) => each), reasons }
}

it('lays every stage at the earliest minute at which it could be, and says why others have none', () => {
  const random = seeded(17)
  const clusters = ['alder', 'bramble', 'cedar', 'dill']
  const seen = new Set<string>()
  for (let round = 0; round < 250; round += 1) {
    const until = 500 * minute
    const windows = new Map<string, readonly Occurrence[]>(
      clusters.map((cluster) => [
        cluster,
        Array.from({ length: Math.floor(random() * 4) }, (_, nth): Occurrence => {
          const start = Math.floor(random() * 450) * minute - 20 * minute
          return {
            window: `${cluster} ${nth}`,
            start,
            end: start + (10 + Math.floor(random() * 120)) * minute,
          }
        })
          .filter((window) => window.end > 0)
          .sort((a, b) => a.start - b.start),
      ]),
    )
    const stages = Array.from({ length: 12 }, (_, nth): Stage => ({
      name: `s${nth}`,
      cluster: clusters[Math.floor(random() * clusters.length)] ?? '',
      minutes: 5 + Math.floor(random() * 60),
      ...(nth > 0 && random() < 0.3 ? { after: [`s${Math.floor(random() * nth)}`] } : {}),
    }))
    const atOnce = 1 + Math.floor(random() * 3)
    const of = (cluster: string): readonly Occurrence[] => windows.get(cluster) ?? []
    const laid = layStages(stages, of, atOnce, 0, until)
    const expected = byMinutes(stages, of, atOnce, 0, until)
    expect(laid.placed).toEqual(expected.placed)
    expect(laid.unplaced.map(({ name, reason }) => `${name} ${reason}`)).toEqual(expected.reasons)
    for (const { reason } of laid.unplaced) seen.add(reason)
  }
  expect([...seen].sort()).toEqual([
    'no-room',
    'no-window',
    'waits-for-unplaced',
    'window-too-short',
  ])
})

it('refuses a stage twice, and one that waits for what comes later or is not there', () => {
  const stage = (name: string, after?: readonly string[]): Stage => ({
    name,
    cluster: 'alder',
    minutes: 10,
    ...(after ? { after } : {}),
  })
  expect(stageMistake([stage('a'), stage('b', ['a'])])).toBe(null)
  expect(stageMistake([stage('a'), stage('a')])?.path).toBe('stages[1].name')
  expect(stageMistake([stage('a', ['b']), stage('b')])?.path).toBe('stages[0].after[0]')
  expect(stageMistake([stage('a', ['a'])])?.says).toContain('does not come before')
  expect(stageMistake([stage('a'), stage('b', ['c'])])?.says).toContain('There is no stage c')
})
