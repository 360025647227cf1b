/** Whether images are in the registry that a cluster asks, and claims fit into its store. */
import type { RawFinding } from '../changes'
import { type ClusterView, type FleetView, type SiteView, zoneStore } from '../fleet'
import { type Json, list, record } from '../objects'
import { GiB, parseBytes } from '../units'
import type { ApplyIntent } from './apply-intent'
import { objectKey, objectText, type WrittenObject } from './parse'
import { patchText } from './place-offers'
import { templateOf } from './references'
import { said } from './says'
import { textWith } from './text-edit'

/** Images that the registry they name does not have. */
export function imageFindings(
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const site = view.sites.find((candidate) => candidate.name === cluster.site)
  const registries = view.sites.flatMap((candidate) =>
    candidate.domain === site?.domain && candidate.registry
      ? [{ ...candidate.registry, site: candidate.name }]
      : [],
  )
  return objects.flatMap((object) => {
    const template = object.kind === 'Pod' ? (object as Json) : templateOf(object)?.template
    const spec = record(template?.['spec'])
    return [...list(spec['initContainers']), ...list(spec['containers'])].flatMap(
      (entry): readonly RawFinding[] => {
        const image = String(record(entry)['image'] ?? '')
        const cut = image.lastIndexOf(':')
        const [repository, tag] =
          cut > image.lastIndexOf('/')
            ? [image.slice(0, cut), image.slice(cut + 1)]
            : [image, 'latest']
        const registry = registries.find(({ host }) => repository.startsWith(`${host}/`))
        if (!registry || image.includes('@')) return []
        const tags = Object.hasOwn(registry.images, repository)
          ? (registry.images[repository] ?? [])
          : null
        if (tags?.includes(tag)) return []
        return [
          {
            level: 'caution',
            rule: `image.${objectKey(object)}.${String(record(entry)['name'])}`,
            field: 'text',
            ...said('image-not-there', {
              objectText: objectText(object),
              image,
              tags: tags === null ? null : [...tags].sort().slice(-6),
            }),
            because: [
              {
                ...said('registry-asked', {
                  host: registry.host,
                  repositories: Object.keys(registry.images).length,
                }),
                source: registry.site,
              },
            ],
          },
        ]
      },
    )
  })
}

const freeGb = (site: SiteView, zone: string): number => {
  const { usableGb, usedGb } = zoneStore(site, zone)
  return Math.max(0, usableGb - usedGb)
}

/** Claims larger than what is free of the store, in every zone that their class offers. */
export function claimFindings(
  intent: ApplyIntent,
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const site = view.sites.find((candidate) => candidate.name === cluster.site)
  if (!site || site.hosts.length === 0) return []
  return objects.flatMap((object): readonly RawFinding[] => {
    if (object.kind !== 'PersistentVolumeClaim') return []
    const spec = record(object['spec'])
    const size = parseBytes(String(record(record(spec['resources'])['requests'])['storage']))
    const offered = site.storageClasses.find(
      (candidate) => candidate.name === spec['storageClassName'],
    )
    const zones = offered?.zones ?? site.zones
    const free = Math.max(...zones.map((zone) => freeGb(site, zone)))
    const wantedGb = size.ok ? Math.ceil(size.value / 1e9) : 0
    if (wantedGb <= free) return []
    const fitting = Math.floor((free * 1e9) / GiB)
    const smaller =
      fitting > 0
        ? textWith(
            intent.text,
            object,
            ['spec', 'resources', 'requests', 'storage'],
            `${fitting}Gi`,
          )
        : null
    return [
      {
        level: 'caution',
        rule: `claim.${objectKey(object)}`,
        field: 'text',
        ...said('claim-too-large', {
          objectText: objectText(object),
          wantedGb,
          freeGb: free,
          site: site.name,
        }),
        because: [
          {
            ...said('store-counted', { zones: zones.length }),
            source: site.name,
            at: site.observedAt,
          },
        ],
        ...(smaller === null
          ? {}
          : { offers: [{ says: `Claim ${fitting} GiB`, change: patchText(smaller) }] }),
      },
    ]
  })
}
