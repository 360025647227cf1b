/** Base images of a site: fetched, verified, copied to each zone; and removed again. */
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { Operation, Site } from '../world'
import { heldDigest, registryOf } from '../registry/held'
import { said } from './says'

const siteOf = (sim: Sim, op: Operation<{ readonly site: string }>): Site | undefined =>
  sim.site(op.args.site)

/** Whether the base image of a release is in the registry of a site. */
function carriedIn(sim: Sim, site: Site, name: string, release: string): boolean {
  const registry = registryOf(site)
  const minor = release.split('.').slice(0, 2).join('.')
  return (
    registry !== null && heldDigest(sim.world, `${registry}/platform/${name}:${minor}`) !== null
  )
}

export const imagePlace: Behaviour<'image.place'> = {
  stages: [
    {
      seconds: 110,
      then: (sim, op) => {
        const site = siteOf(sim, op)
        if (!site) return permanent('no-site', said('no-site', { site: op.args.site }))
        // A site without a link takes it from the registry that stands there, if it was carried in.
        if (!site.connected && carriedIn(sim, site, op.args.name, op.args.release))
          return said('taken-from-registry', {
            registry: registryOf(site) ?? '',
            name: op.args.name,
            release: op.args.release,
          })
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
        sim.touchSite(site.name)
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
        sim.touchSite(site.name)
        return said('image-removed', { release: op.args.release })
      },
    },
  ],
}

/** Bytes come to the packing desk over its link. */
export const blobsFetch: Behaviour<'blobs.fetch'> = {
  stages: [
    {
      seconds: (_sim, op) => Math.max(1, op.args.seconds),
      then: (sim, op) => {
        const site = siteOf(sim, op)
        if (!site) return permanent('no-site', said('no-site', { site: op.args.site }))
        return said('blobs-fetched', {
          registry: registryOf(site) ?? site.name,
          bytes: op.args.bytes,
        })
      },
    },
  ],
  result: (_sim, op) => ({ bytes: op.args.bytes }),
}
