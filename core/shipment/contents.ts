/** What a shipment consists of, item by item: how large each is, and how much of it the site or an earlier item has already. */
import type { ShipmentOrder } from './catalogue'
import type { Blob, Closure } from './closure'

export interface CarriedItem {
  readonly kind: 'release' | 'add-on' | 'image'
  readonly name: string
  readonly version: string
  /** Why it is in it: it was asked for, or it lies on the way to what was. */
  readonly why: 'asked' | 'step'
  /** Images that are carried, without those held back. */
  readonly images: number
  readonly bytes: number
  readonly onSiteBytes: number
  /** In an item before it. */
  readonly sharedBytes: number
  readonly carriedBytes: number
  /** What of it is carried. */
  readonly blobs: readonly Blob[]
}

/** The items in the order they are listed; what several share counts for the first of them. O(blobs of all items). */
export function carriedItems(order: ShipmentOrder, closure: Closure): readonly CarriedItem[] {
  const imageOf = new Map(order.images.map((image) => [image.digest, image]))
  const running = new Set(closure.images)
  const present = new Set(order.has.digests)
  const packed = new Set<string>()
  const item = (
    of: Pick<CarriedItem, 'kind' | 'name' | 'version' | 'why'>,
    digests: readonly string[],
  ): CarriedItem => {
    const images = digests.filter((digest) => running.has(digest))
    const sizes = { bytes: 0, onSiteBytes: 0, sharedBytes: 0, carriedBytes: 0 }
    const counted = new Set<string>()
    const blobs: Blob[] = []
    for (const blob of images.flatMap((digest) => {
      const image = imageOf.get(digest)
      return image ? [image, ...image.layers] : []
    })) {
      if (counted.has(blob.digest)) continue
      counted.add(blob.digest)
      sizes.bytes += blob.bytes
      if (present.has(blob.digest)) sizes.onSiteBytes += blob.bytes
      else if (packed.has(blob.digest)) sizes.sharedBytes += blob.bytes
      else {
        sizes.carriedBytes += blob.bytes
        blobs.push({ digest: blob.digest, bytes: blob.bytes })
      }
      packed.add(blob.digest)
    }
    return { ...of, images: images.length, ...sizes, blobs }
  }
  const releases = closure.releases.map((version) =>
    item(
      {
        kind: 'release',
        name: 'release',
        version,
        why: version === order.want.release ? 'asked' : 'step',
      },
      order.releases.find((release) => release.version === version)?.images ?? [],
    ),
  )
  const addOns = closure.addOns.flatMap(({ name, versions }) =>
    versions.map((version, nth) => {
      const digests = order.addOns
        .filter((addOn) => addOn.name === name)
        .flatMap((addOn) => addOn.channels)
        .flatMap((channel) => channel.versions.filter((entry) => entry.version === version))
        .flatMap((entry) => entry.images)
      const why = nth === versions.length - 1 ? ('asked' as const) : ('step' as const)
      return item({ kind: 'add-on', name, version, why }, [...new Set(digests)])
    }),
  )
  const images = [...new Set(order.want.images ?? [])].map((digest) =>
    item({ kind: 'image', name: imageOf.get(digest)?.name ?? digest, version: '', why: 'asked' }, [
      digest,
    ]),
  )
  return [...releases, ...addOns, ...images]
}
