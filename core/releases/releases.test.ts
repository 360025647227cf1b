import { describe, expect, it } from 'vitest'
import { demoFleet } from '../testing/demo-fleet'
import { findRelease, isUnsupported, newestFirst, type Release, supportDaysLeft } from '.'

const { catalogue } = demoFleet()
const now = '2026-03-02T06:00:00Z'

describe('the catalogue', () => {
  it('holds 1.24 to 1.35 with two or three patches each, newest first when asked', () => {
    const minors = new Map<string, number>()
    for (const { version } of catalogue)
      minors.set(
        version.replace(/\.\d+$/, ''),
        (minors.get(version.replace(/\.\d+$/, '')) ?? 0) + 1,
      )
    expect([...minors.keys()]).toEqual(Array.from({ length: 12 }, (_, i) => `1.${24 + i}`))
    expect([...minors.values()].every((count) => count === 2 || count === 3)).toBe(true)
    expect(newestFirst(catalogue)[0]?.version).toBe('1.35.1')
  })

  it('is built for arm64 from 1.30 on', () => {
    for (const { version, architectures } of catalogue)
      expect(architectures.includes('arm64')).toBe(Number(version.split('.')[1]) >= 30)
  })

  it.each([
    ['1.31', '2025-11-11'],
    ['1.32', '2026-02-28'],
    ['1.33', '2026-06-28'],
    ['1.34', '2026-10-27'],
    ['1.35', '2027-02-28'],
  ])('supports %s until %s', (line, end) => {
    expect(
      catalogue
        .filter((release) => release.version.startsWith(`${line}.`))
        .map((release) => release.endOfSupport),
    ).toContain(end)
  })
})

describe('a release', () => {
  const release = (version: string): Release => {
    const matchingRelease = findRelease(catalogue, version)
    if (!matchingRelease) throw new Error(`the catalogue lacks ${version}`)
    return matchingRelease
  }
  it('is found by its number, or by its line: the newest patch that is not withdrawn', () => {
    expect(release('1.33.1').version).toBe('1.33.1')
    expect(release('1.33').version).toBe('1.33.2')
    expect(findRelease(catalogue, '1.36')).toBeUndefined()
    const withdrawn = catalogue.map((eachRelease) =>
      eachRelease.version === '1.33.2'
        ? { ...eachRelease, withdrawn: 'it loses volumes' }
        : eachRelease,
    )
    expect(findRelease(withdrawn, '1.33')?.version).toBe('1.33.1')
  })

  it('is supported to the end of its last day', () => {
    expect(isUnsupported(release('1.32.4'), '2026-02-28T23:59:59Z')).toBe(false)
    expect(isUnsupported(release('1.32.4'), '2026-03-01T00:00:00Z')).toBe(true)
    expect(supportDaysLeft(release('1.32.4'), now)).toBe(-2)
    expect(supportDaysLeft(release('1.33.2'), now)).toBe(118)
  })
})
