import { describe, expect, it } from 'vitest'
import { compareReleases, seeded } from '../units'
import { type Catalogue, catalogueMistake, releasePath } from './path'

/** Every way without a circle, by plain search: the oracle. */
function everyWay(catalogue: Catalogue, from: string, to: string, mayCut: boolean) {
  const withdrawn = new Set(
    catalogue.releases.filter((release) => release.withdrawn).map((release) => release.version),
  )
  const ways: { versions: string[]; cuts: number }[] = []
  const go = (versions: string[], cuts: number): void => {
    const at = versions[versions.length - 1] ?? ''
    if (at === to) {
      ways.push({ versions, cuts })
      return
    }
    const targets = [
      ...new Set(catalogue.edges.filter((edge) => edge.from === at).map((e) => e.to)),
    ]
    for (const target of targets) {
      const [, minor = 0] = at.split('.').map(Number)
      const [, targetMinor = 0] = target.split('.').map(Number)
      if (compareReleases(target, at) <= 0 || targetMinor - minor > 1 || withdrawn.has(target))
        continue
      const stands = catalogue.edges.some(
        (edge) => edge.from === at && edge.to === target && edge.withdrawn === undefined,
      )
      if (!stands && !mayCut) continue
      go([...versions, target], cuts + (stands ? 0 : 1))
    }
  }
  go([from], 0)
  return ways.sort((a, b) => {
    if (a.cuts !== b.cuts) return a.cuts - b.cuts
    if (a.versions.length !== b.versions.length) return a.versions.length - b.versions.length
    for (const [index, version] of a.versions.entries()) {
      const order = compareReleases(b.versions[index] ?? '', version)
      if (order !== 0) return order
    }
    return 0
  })
}

describe('the path of a control plane', () => {
  it('is what trying every way says, on random catalogues', () => {
    const random = seeded(11)
    const versions = ['1.30.1', '1.30.4', '1.31.0', '1.31.7', '1.32.2', '1.32.10', '1.33.0']
    let withoutPath = 0
    for (let round = 0; round < 600; round += 1) {
      const releases = versions.map((version) => ({
        version,
        ...(random() < 0.1 ? { withdrawn: 'lost pods' } : {}),
      }))
      const edges = Array.from({ length: 14 }, () => ({
        from: versions[Math.floor(random() * versions.length)] ?? '',
        to: versions[Math.floor(random() * versions.length)] ?? '',
        ...(random() < 0.35 ? { withdrawn: `reason ${Math.floor(random() * 3)}` } : {}),
      }))
      const catalogue = { releases, edges }
      const [from = '', to = ''] = ['1.30.1', random() < 0.5 ? '1.33.0' : '1.32.10']
      const [best] = everyWay(catalogue, from, to, false)
      const answer = releasePath(catalogue, from, to)
      expect(answer.path).toEqual(best?.versions ?? null)
      if (best) {
        expect(answer).toMatchObject({ nearest: null, cutBy: [] })
        continue
      }
      withoutPath += 1
      const reachable = versions
        .filter(
          (version) =>
            compareReleases(version, to) <= 0 &&
            (version === from || everyWay(catalogue, from, version, false).length > 0),
        )
        .sort(compareReleases)
      expect(answer.nearest).toBe(reachable[reachable.length - 1])
      const [opened] = everyWay(catalogue, from, to, true)
      const cuts = (opened?.versions ?? []).slice(1).flatMap((version, index) => {
        const before = opened?.versions[index] ?? ''
        const equal = edges.filter((edge) => edge.from === before && edge.to === version)
        return equal.every((edge) => edge.withdrawn !== undefined)
          ? { from: before, to: version, reason: equal[0]?.withdrawn }
          : []
      })
      expect(answer.cutBy).toEqual(cuts)
    }
    expect(withoutPath).toBeGreaterThan(50)
  })

  it('is the release itself, even a withdrawn one, where nothing has to move', () => {
    const catalogue = { releases: [{ version: '1.31.2', withdrawn: 'lost pods' }], edges: [] }
    expect(releasePath(catalogue, '1.31.2', '1.31.2').path).toEqual(['1.31.2'])
  })

  it('never goes over two minors at once or into another major', () => {
    const releases = ['1.31.0', '1.33.0', '2.0.0'].map((version) => ({ version }))
    const edges = [
      { from: '1.31.0', to: '1.33.0' },
      { from: '1.33.0', to: '2.0.0' },
    ]
    expect(releasePath({ releases, edges }, '1.31.0', '1.33.0')).toEqual({
      path: null,
      nearest: '1.31.0',
      cutBy: [],
    })
    expect(releasePath({ releases, edges }, '1.33.0', '2.0.0').path).toBeNull()
  })

  it('names what keeps a catalogue from being read', () => {
    const releases = [{ version: '1.31.0' }, { version: '1.31.0' }]
    expect(catalogueMistake({ releases, edges: [] })?.path).toBe('releases[1].version')
    expect(
      catalogueMistake({
        releases: [{ version: '1.31.0' }],
        edges: [{ from: '1.31.0', to: '1.32.0' }],
      })?.path,
    ).toBe('edges[0].to')
  })
})
