/** What is known of an image by the name that a pod gives it. */
import type { JudgedImage } from '../../contract'
import { findingSeverities } from '../../contract'
import type { FleetView } from '../../fleet'
import type { Published, PublishedImage } from '../../releases'
import { parseReference } from '../reference'

const indexes = new WeakMap<Published['images'], ReadonlyMap<string, PublishedImage>>()

/** Published images by `repository:tag`; read once for each list. */
function byName(images: Published['images']): ReadonlyMap<string, PublishedImage> {
  const before = indexes.get(images)
  if (before) return before
  const index = new Map(images.map((image) => [image.name, image]))
  indexes.set(images, index)
  return index
}

/** A published image by the name that a pod gives it; undefined where it is not published. */
export function publishedImage(view: FleetView, image: string): PublishedImage | undefined {
  const reference = parseReference(image)
  return reference && view.published
    ? byName(view.published.images).get(`${reference.repository}:${reference.tag ?? 'latest'}`)
    : undefined
}

/** Whether an image is signed, and the gravest finding in it. */
export const judgedImage = ({ signed, vulnerabilities = [] }: PublishedImage): JudgedImage => ({
  signed,
  worst:
    findingSeverities.findLast((severity) =>
      vulnerabilities.some((finding) => finding.severity === severity),
    ) ?? null,
})

export function judgedOf(view: FleetView, image: string): JudgedImage | null {
  const published = publishedImage(view, image)
  return published ? judgedImage(published) : null
}

/** What a pod belongs to, by its label; else its own name. */
export const workloadOf = (pod: {
  readonly metadata: {
    readonly name?: string | null | undefined
    readonly labels?: Readonly<Record<string, string>> | null | undefined
  }
}): string => pod.metadata.labels?.['app'] ?? pod.metadata.name ?? 'a pod'
