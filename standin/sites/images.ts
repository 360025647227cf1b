/** Base images of a site: fetched, verified, copied to each zone; and removed again. */
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { Operation, Site } from '../world'

const siteOf = (sim: Sim, op: Operation<{ readonly site: string }>): Site | undefined =>
  sim.site(op.args.site)

export const imagePlace: Behaviour<'image.place'> = {
  stages: [
    {
      seconds: 110,
      then: (sim, op) => {
        const site = siteOf(sim, op)
        if (!site) return permanent('no-site', `There is no site ${op.args.site}.`)
        if (!site.connected)
          return permanent('no-route', `${site.name} cannot be reached from here.`, {
            about: `site/${site.name}`,
            says: 'no route to it',
          })
        return `${op.args.name} ${op.args.release} fetched`
      },
    },
    { seconds: 25, then: () => 'digest verified' },
    {
      seconds: (sim, op) => 40 * (siteOf(sim, op)?.zones.length ?? 1),
      then: (sim, op) => {
        const site = siteOf(sim, op)
        if (!site) return permanent('no-site', `There is no site ${op.args.site}.`)
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
        return `copied to ${site.zones.join(', ')}`
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
        if (!site) return 'nothing to remove'
        site.images = site.images.filter((image) => image.release !== op.args.release)
        sim.touch(`site:${site.name}`)
        return `image of ${op.args.release} removed`
      },
    },
  ],
}
