/** Managed control planes: ordered from a cloud, which runs them outside its customers’ networks. */
import { formatAddress, parseAddress } from '../../core/addresses'
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Site } from '../world'
import { said } from './says'

/** The highest address, from the site’s first one down, that no other control plane has. */
function addressFor(site: Site): string | null {
  const first = site.managedFrom === null ? null : parseAddress(site.managedFrom)
  if (!first?.ok) return null
  const taken = new Set(site.controlPlanes.map((plane) => plane.address))
  for (let value = first.value.value; value > 0n; value--) {
    const address = formatAddress({ family: first.value.family, value })
    if (!taken.has(address)) return address
  }
  return null
}

export const controlPlaneCreate: Behaviour<'controlplane.create'> = {
  stages: [
    {
      seconds: 10,
      then: (sim, op) => {
        const site = sim.site(op.args.site)
        const tier = site?.managedTiers.find((managedTier) => managedTier.tier === op.args.tier)
        if (!site || !tier)
          return permanent('no-tier', said('no-tier', { site: op.args.site, tier: op.args.tier }), {
            about: `site/${op.args.site}`,
            ...said('tier-not-offered'),
          })
        if (!site.controlPlanes.some((plane) => plane.cluster === op.args.cluster)) {
          const address = addressFor(site)
          if (address === null)
            return permanent(
              'no-address',
              said('no-address.no-address-another', { site: site.name }),
              { about: `site/${site.name}`, ...said('no-address-left') },
            )
          site.controlPlanes = [
            ...site.controlPlanes,
            {
              cluster: op.args.cluster,
              tier: tier.tier,
              release: op.args.release,
              address,
            },
          ]
        }
        sim.touchSite(site.name)
        return said('ordered-tier', { tier: tier.tier })
      },
    },
    {
      seconds: 270,
      then: (sim, op) =>
        said('provided', {
          address:
            sim.site(op.args.site)?.controlPlanes.find((plane) => plane.cluster === op.args.cluster)
              ?.address ?? 'no address',
        }),
    },
  ],
  result: (sim, op) => ({
    endpoint: `https://${sim.site(op.args.site)?.controlPlanes.find((plane) => plane.cluster === op.args.cluster)?.address ?? ''}:443`,
  }),
}

export const controlPlaneDelete: Behaviour<'controlplane.delete'> = {
  stages: [
    {
      seconds: 110,
      then: (sim, op) => {
        const site = sim.site(op.args.site)
        if (!site) return said('nothing-delete')
        site.controlPlanes = site.controlPlanes.filter((plane) => plane.cluster !== op.args.cluster)
        sim.touchSite(site.name)
        return said('control-plane-deleted')
      },
    },
  ],
}
