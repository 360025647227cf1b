/** What of the fleet goes to the browser with a draft: less than all, and judged alike. */
import { describe, expect, it } from 'vitest'
import { kindNamed } from '~/core/kinds'
import { demoFleet } from '~/core/testing/demo-fleet'
import { birch, elm, fernlet, oak } from '~/core/testing/drafts'
import { draftSlice } from './slice'

const drafts = { birch, elm, fernlet, oak }

describe.each(Object.entries(drafts))('%s', (_name, intent) => {
  const read = kindNamed('cluster.raise')?.read(intent)
  const draft = read?.ok ? read.draft : undefined
  const view = demoFleet()

  it('is judged by the slice as by the whole fleet', () => {
    const slice = draftSlice(view, intent.site)
    expect(draft?.findings(slice)).toEqual(draft?.findings(view))
    expect(draft?.plan(slice)).toEqual(draft?.plan(view))
  })

  it('is judged alike once only its own site is sent whole', () => {
    const crowded = {
      ...view,
      sites: view.sites.map((site) =>
        site.name === 'tarn-north' && intent.site !== site.name
          ? {
              ...site,
              machines: Array.from({ length: 2000 }, () => site.machines[0]).flatMap(
                (machine) => machine ?? [],
              ),
            }
          : site,
      ),
    }
    const slice = draftSlice(crowded, intent.site)
    const elsewhere = slice.sites.filter(({ name }) => name !== intent.site)
    if (intent.site !== 'tarn-north')
      expect(elsewhere.flatMap(({ machines }) => machines)).toEqual([])
    expect(draft?.findings(slice)).toEqual(draft?.findings(view))
  })
})

it('leaves out what no draft of a cluster reads', () => {
  const { clusters } = draftSlice(demoFleet(), 'mossgate')
  expect(clusters.map(({ storage }) => storage).filter(Boolean)).toEqual([])
  expect(clusters.filter(({ drives, pools }) => drives.length === 0 && pools.length > 0)).toEqual(
    [],
  )
})
