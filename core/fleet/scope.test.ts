import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { demoFleet } from '../testing/demo-fleet'
import { scoped, setStrictViews, UnneededRead, wholeView } from './scope'
import { clusterOf, siteOf } from './view'

const view = demoFleet()
const release = (needs: readonly string[], cluster: string) =>
  clusterOf(scoped(view, needs), cluster)?.release
const hosts = (needs: readonly string[], site: string) => siteOf(scoped(view, needs), site)?.hosts

describe('a view of what is needed', () => {
  it('holds a cluster with its site, and no other', () => {
    expect(release(['cluster:cedar'], 'cedar')).toBe(clusterOf(view, 'cedar')?.release)
    expect(hosts(['cluster:cedar'], 'mossgate')).toHaveLength(9)
    expect(() => release(['cluster:cedar'], 'dill')).toThrow(UnneededRead)
    expect(() => hosts(['cluster:cedar'], 'kilnlane')).toThrow(/hosts of site:kilnlane/)
  })

  it('holds a site with the clusters on it', () =>
    expect(release(['site:mossgate'], 'cedar')).toBe(clusterOf(view, 'cedar')?.release))

  it('names everything that there is', () =>
    expect(scoped(view, []).sites.map(({ name, kind }) => `${kind} ${name}`)).toEqual(
      view.sites.map(({ name, kind }) => `${kind} ${name}`),
    ))

  it('holds the ranges of all with the ledger, and the ledger with nothing else', () => {
    expect(clusterOf(scoped(view, ['ledger']), 'cedar')?.pods).toBe('10.120.0.0/17')
    expect(() => clusterOf(scoped(view, []), 'cedar')?.pods).toThrow(UnneededRead)
    expect(() => scoped(view, []).ledger.length).toThrow(UnneededRead)
  })

  it('gives the whole back as it was', () =>
    expect(wholeView(scoped(view, [])).sites[0]).toBe(view.sites[0]))

  describe('where nobody looks after it', () => {
    beforeEach(() => setStrictViews(false))
    afterEach(() => setStrictViews(true))
    it('is the view itself', () => expect(scoped(view, [])).toBe(view))
  })
})
