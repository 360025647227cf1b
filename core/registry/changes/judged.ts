/** What is known of an image by the name that a pod gives it. */
import type { JudgedImage, Redirect } from '../../contract'
import { findingSeverities } from '../../contract'
import type { FleetView } from '../../fleet'
import type { Published, PublishedImage } from '../../releases'
import { listedWhere } from '../reference'

const indexes = new WeakMap<Published['images'], ReadonlyMap<string, PublishedImage>>()

/** Published images by `repository:tag`; read once for each list. */
function byName(images: Published['images']): ReadonlyMap<string, PublishedImage> {
  const before = indexes.get(images)
  if (before) return before
  const index = new Map(images.map((image) => [image.name, image]))
  indexes.set(images, index)
  return index
}

/** A published image by the name that a pod of a cluster gives it; undefined where it is not published. */
export function publishedImage(
  view: FleetView,
  image: string,
  redirects?: readonly Redirect[],
): PublishedImage | undefined {
  if (!view.published) return undefined
  const index = byName(view.published.images)
  const listed = listedWhere(redirects, image).find((name) => index.has(name))
  return listed === undefined ? undefined : index.get(listed)
}

/** Whether an image is signed, and the gravest finding in it. */
export const judgedImage = ({ signed, vulnerabilities = [] }: PublishedImage): JudgedImage => ({
  signed,
  worst:
    findingSeverities.findLast((severity) =>
      vulnerabilities.some((finding) => finding.severity === severity),
    ) ?? null,
})

export function judgedOf(
  view: FleetView,
  image: string,
  redirects?: readonly Redirect[],
): JudgedImage | null {
  const published = publishedImage(view, image, redirects)
  return published ? judgedImage(published) : null
}

/** What a pod belongs to, by its label; else its own name. */
export const workloadOf = (pod: {
  readonly metadata: {
    readonly name?: string | null | undefined
    readonly labels?: Readonly<Record<string, string>> | null | undefined
  }
}): string => pod.metadata.labels?.['app'] ?? pod.metadata.name ?? 'a pod'
