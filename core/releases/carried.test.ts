/** A site without a link computes its paths from the catalogue that was carried to it. */
import { describe, expect, it } from 'vitest'
import type { FleetView } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { orderedUpgrade } from './changes/order'
import { checkUpgrade } from './changes/checks'
import { type Published, publishedAt } from './published'

const edge = (from: string, to: string) => ({ from, to })
const published: Published = {
  releases: ['1.31.9', '1.32.6', '1.33.2'].map((version) => ({ version, images: [] })),
  edges: [edge('1.31.9', '1.32.6'), edge('1.32.6', '1.33.2')],
  addOns: [],
  images: [],
  desk: { media: [], link: { bytesPerSecond: 1, streamBytesPerSecond: 1, parallel: 1 } },
}
const upTo = (count: number) => ({
  ...published,
  releases: published.releases.slice(0, count),
  edges: published.edges.slice(0, count - 1),
})

const fleet = (carried: Published['carried']): FleetView => {
  const view = demoFleet()
  return {
    ...view,
    published: { ...published, ...(carried ? { carried } : {}) },
    clusters: view.clusters.map((cluster) =>
      cluster.name === 'sorrel'
        ? {
            ...cluster,
            release: '1.31.9',
            addOns: [],
            pools: cluster.pools.map((pool) => ({
              ...pool,
              nodes: pool.nodes.map((node) => ({ ...node, release: '1.31.9' })),
            })),
          }
        : cluster,
    ),
  }
}

describe('the catalogue that was carried', () => {
  it('is what a site without a link goes by, and a joined one does not', () => {
    const carried = { kilnlane: upTo(2) }
    const all = { ...published, carried }
    expect(publishedAt(all, { name: 'kilnlane', connected: false }).releases).toHaveLength(2)
    expect(publishedAt(all, { name: 'kilnlane', connected: true }).releases).toHaveLength(3)
    expect(publishedAt(published, { name: 'kilnlane', connected: false }).releases).toHaveLength(3)
  })

  it('leads as far as it knows; a later release is refused with the newest that it knows', () => {
    const view = fleet({ kilnlane: upTo(2) })
    const to = (release: string) => ({ cluster: 'sorrel', to: release, pools: [] })
    expect(orderedUpgrade(to('1.32.6'), view)?.upgrade.path).toEqual(['1.31.9', '1.32.6'])
    expect(orderedUpgrade(to('1.33.2'), view)).toBe(null)
    const [finding] = checkUpgrade(to('1.33.2'), view)
    expect(finding?.rule).toBe('release.published')
    expect(JSON.stringify(finding)).toContain('1.32.6')
    expect(orderedUpgrade(to('1.33.2'), fleet(undefined))?.upgrade.path).toHaveLength(3)
  })
})
