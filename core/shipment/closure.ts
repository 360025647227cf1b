/**
 * All that has to be carried so that a site can run what it should: releases with the steps between, add-ons along their
 * chains, their images without those held back, and the blobs that the site lacks. O(everything listed).
 */
import { byVersion, type CutEdge, releasePath } from '../releases'
import { compareText } from '../units'
import { pickVersions } from './add-ons'
import { type AddOnVersion, severities, type ShipmentImage, type ShipmentOrder } from './catalogue'

export interface Blob {
  readonly digest: string
  readonly bytes: number
}

export interface HeldImage {
  readonly digest: string
  readonly why: string
  /** What would be incomplete without it: `release 1.33.1`, `rainfall 1.1.1`, `image <name>`. */
  readonly lack: readonly string[]
}

export interface Problem {
  readonly says: string
  readonly nearest?: string
  readonly cutBy?: readonly CutEdge[]
}

export interface Closure {
  readonly releases: readonly string[]
  readonly addOns: readonly { readonly name: string; readonly versions: readonly string[] }[]
  /** Digests of the images to be run, those on site already among them. */
  readonly images: readonly string[]
  readonly held: readonly HeldImage[]
  /** What is to be carried, by digest. */
  readonly blobs: readonly Blob[]
  readonly problems: readonly Problem[]
}

/** What images are wanted for, each with the words it is called by. */
type Wants = Map<string, Set<string>>

function want(wants: Wants, digests: readonly string[], what: string): void {
  for (const digest of digests) {
    const reasons = wants.get(digest)
    if (reasons) reasons.add(what)
    else wants.set(digest, new Set([what]))
  }
}

/** The releases to carry: the path after what the site has, or the target alone. */
function releasesOf(order: ShipmentOrder, problems: Problem[]): readonly string[] {
  const { release: target, steps } = order.want
  const installed = order.has.release
  if (target === undefined) return []
  if (steps !== true || installed === undefined) return [target]
  const { path, nearest, cutBy } = releasePath(order, installed, target)
  if (path) return path.slice(1)
  problems.push({
    says: `No path leads from ${installed} to ${target}. ${installed} gets as far as ${nearest ?? installed}${cutBy.length > 0 ? '; edges that were withdrawn cut the way' : ''}.`,
    ...(nearest === null ? {} : { nearest }),
    cutBy,
  })
  return []
}

/** The versions of each add-on, and the images of those. */
function addOnsOf(
  order: ShipmentOrder,
  wants: Wants,
  problems: Problem[],
): Map<string, Set<string>> {
  const carried = new Map<string, Set<string>>()
  for (const wanted of order.want.addOns ?? []) {
    const channels = order.addOns.find((addOn) => addOn.name === wanted.name)?.channels ?? []
    const versions: readonly AddOnVersion[] =
      channels.find((channel) => channel.name === wanted.channel)?.versions ?? []
    const installed = order.has.addOns
    const picked = pickVersions(
      wanted,
      versions,
      installed && Object.hasOwn(installed, wanted.name) ? installed[wanted.name] : undefined,
    )
    const union = carried.get(wanted.name) ?? new Set<string>()
    carried.set(wanted.name, union)
    if (!picked.ok) {
      problems.push({ says: picked.says })
      continue
    }
    const wantedVersions = new Set(picked.versions)
    for (const { version, images } of versions) {
      if (!wantedVersions.has(version)) continue
      union.add(version)
      want(wants, images, `${wanted.name} ${version}`)
    }
  }
  return carried
}

/** Why an image is held back: that it is unsigned, and each finding that is too severe; null if nothing is against it. */
export function whyHeld(
  image: Pick<ShipmentImage, 'signed' | 'vulnerabilities'>,
  hold: ShipmentOrder['hold'],
): string | null {
  const reasons: string[] = []
  if (hold?.unsigned === true && !image.signed) reasons.push('unsigned')
  if (hold?.severity !== undefined) {
    const least = severities.indexOf(hold.severity)
    for (const { id, severity } of image.vulnerabilities ?? [])
      if (severities.indexOf(severity) >= least) reasons.push(`${id} (${severity})`)
  }
  return reasons.length === 0 ? null : reasons.join(', ')
}

/** The closure of an order without mistakes (`orderMistake`). */
export function closureOf(order: ShipmentOrder): Closure {
  const problems: Problem[] = []
  const wants: Wants = new Map()
  const releases = releasesOf(order, problems)
  for (const version of releases) {
    const release = order.releases.find((candidate) => candidate.version === version)
    want(wants, release?.images ?? [], `release ${version}`)
  }
  const addOns = addOnsOf(order, wants, problems)
  const imageOf = new Map(order.images.map((image) => [image.digest, image]))
  for (const digest of order.want.images ?? [])
    want(wants, [digest], `image ${imageOf.get(digest)?.name ?? digest}`)

  const present = new Set(order.has.digests)
  const blobs = new Map<string, number>()
  const images: string[] = []
  const held: HeldImage[] = []
  for (const [digest, lack] of wants) {
    const image = imageOf.get(digest)
    if (!image) continue
    const why = whyHeld(image, order.hold)
    if (why !== null) {
      held.push({ digest, why, lack: [...lack] })
      continue
    }
    images.push(digest)
    for (const blob of [image, ...image.layers])
      if (!present.has(blob.digest)) blobs.set(blob.digest, blob.bytes)
  }
  return {
    releases: [...releases].sort(byVersion),
    addOns: [...addOns]
      .map(([name, versions]) => ({ name, versions: [...versions].sort(byVersion) }))
      .sort((a, b) => compareText(a.name, b.name)),
    images: images.sort(compareText),
    held: held.sort((a, b) => compareText(a.digest, b.digest)),
    blobs: [...blobs]
      .map(([digest, bytes]) => ({ digest, bytes }))
      .sort((a, b) => compareText(a.digest, b.digest)),
    problems,
  }
}
