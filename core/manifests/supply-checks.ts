/** Whether images are in the registry that a cluster asks, and claims fit into its store. */
import type { RawFinding } from '../changes'
import { brokenRule, imageRuleIn, lookedFor } from '../contract'
import { type ClusterView, type FleetView, listedObjects, type SiteView, zoneStore } from '../fleet'
import { asText, type Json, list, record } from '../objects'
import { deniedImage, judgedOf } from '../registry/changes'
import { GiB, parseBytes } from '../units'
import type { ApplyIntent } from './apply-intent'
import { objectKey, objectText, type WrittenObject } from './parse'
import { patchText } from './place-offers'
import { imagesOf, templateOf } from './references'
import { said } from './says'
import { textWith } from './text-edit'

/** The tag that an image is asked for by, and those that a registry has in its repository; null where it has no such repository. */
function heldTags(registry: NonNullable<SiteView['registry']>, image: string) {
  const cut = image.lastIndexOf(':')
  const [repository, tag] =
    cut > image.lastIndexOf('/') ? [image.slice(0, cut), image.slice(cut + 1)] : [image, 'latest']
  const tags = Object.hasOwn(registry.images, repository)
    ? (registry.images[repository] ?? [])
    : null
  return { tag, tags }
}

/** Images that no registry has where nodes look for them. */
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
        const image = asText(record(entry)['image'] ?? '')
        if (image.includes('@')) return []
        const asked = lookedFor(cluster.redirects, image).flatMap((name) => {
          const registry = registries.find(({ host }) => name.startsWith(`${host}/`))
          return registry ? [{ registry, ...heldTags(registry, name) }] : []
        })
        const [first] = asked
        if (!first || asked.some(({ tag, tags }) => tags?.includes(tag))) return []
        const { registry, tags } = first
        return [
          {
            level: 'caution',
            rule: `image.${objectKey(object)}.${asText(record(entry)['name'])}`,
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

/** Images that their registry gives to others alone: the namespace shows no credential that opens them. */
export function deniedFindings(
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
  field = 'text',
): readonly RawFinding[] {
  return objects.flatMap((object) => {
    const namespace = object.metadata.namespace ?? 'default'
    return imagesOf(object).flatMap((image): readonly RawFinding[] => {
      const denied = deniedImage(view, cluster, namespace, image)
      if (!denied) return []
      const { registry, repository, refusal } = denied
      return [
        {
          level: 'caution',
          rule: `denied.${objectKey(object)}.${repository}`,
          field,
          ...said('image-denied', { objectText: objectText(object), image, namespace, refusal }),
          because: [{ ...said('repository-closed', { repository, registry }), source: registry }],
          offers: [
            {
              says: `Give ${namespace} of ${cluster.name} a credential for ${repository} first`,
              change: {
                kind: 'registry.credential',
                intent: {
                  registry,
                  repositories: [repository],
                  cluster: cluster.name,
                  namespace,
                  purpose: 'pull',
                },
              },
            },
          ],
        },
      ]
    })
  })
}

/** Images that a namespace does not take, by the rule that its annotations write. */
export function ruleFindings(
  objects: readonly WrittenObject[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const spaces = new Map(
    [...listedObjects(view, cluster.name), ...objects].flatMap((object) =>
      object.kind === 'Namespace'
        ? [[asText(object.metadata?.name), record(record(object.metadata)['annotations'])] as const]
        : [],
    ),
  )
  return objects.flatMap((object) => {
    const namespace = object.metadata.namespace ?? 'default'
    const rule = imageRuleIn(spaces.get(namespace))
    return imagesOf(object).flatMap((image): readonly RawFinding[] => {
      const judged = judgedOf(view, image, cluster.redirects)
      const broken = judged && brokenRule(rule, judged)
      if (!judged || !broken) return []
      return [
        {
          level: 'caution',
          rule: `image-rule.${objectKey(object)}.${image}`,
          field: 'text',
          ...said('image-against-rule', {
            objectText: objectText(object),
            image,
            namespace,
            broken,
            worst: judged.worst,
          }),
          because: [
            {
              ...said('namespace-takes', { namespace, signed: rule.signed, below: rule.below }),
              source: cluster.name,
              at: cluster.observedAt,
            },
          ],
        },
      ]
    })
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
    const size = parseBytes(asText(record(record(spec['resources'])['requests'])['storage']))
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
