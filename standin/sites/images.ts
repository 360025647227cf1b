/** Base images of a site: fetched, verified, copied to each zone; and removed again. */
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { Operation, Site } from '../world'
import { said } from './says'

const siteOf = (sim: Sim, op: Operation<{ readonly site: string }>): Site | undefined =>
  sim.site(op.args.site)

export const imagePlace: Behaviour<'image.place'> = {
  stages: [
    {
      seconds: 110,
      then: (sim, op) => {
        const site = siteOf(sim, op)
        if (!site) return permanent('no-site', said('no-site', { site: op.args.site }))
        if (!site.connected)
          return permanent('no-route', said('no-route', { site: site.name }), {
            about: `site/${site.name}`,
            ...said('cloud-init-off'),
          })
        return said('fetched', { name: op.args.name, release: op.args.release })
      },
    },
    { seconds: 25, then: () => said('digest-verified') },
    {
      seconds: (sim, op) => 40 * (siteOf(sim, op)?.zones.length ?? 1),
      then: (sim, op) => {
        const site = siteOf(sim, op)
        if (!site) return permanent('no-site', said('no-site', { site: op.args.site }))
        const release = op.args.release
        if (!site.images.some((image) => image.release === release))
          site.images = [
            ...site.images,
            {
              name: op.args.name,
              release,
              arch: site.arch,
              minimumDiskGb: op.args.minimumDiskGb,
            },
          ]
        sim.touch(`site:${site.name}`)
        return said('copied', { zones: site.zones })
      },
    },
  ],
}

export const imageRemove: Behaviour<'image.remove'> = {
  stages: [
    {
      seconds: 10,
      then: (sim, op) => {
        const site = siteOf(sim, op)
        if (!site) return said('nothing-remove')
        site.images = site.images.filter((image) => image.release !== op.args.release)
        sim.touch(`site:${site.name}`)
        return said('image-removed', { release: op.args.release })
      },
    },
  ],
}
