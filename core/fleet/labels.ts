/** Clusters by their labels. */
import { readSelector } from '../objects'
import type { ClusterView } from './view'

export type Labelled =
  | { readonly ok: true; readonly names: readonly string[] }
  | { readonly ok: false; readonly says: string }

/** Names of the clusters whose labels a selector lets through, as it is written in a line. */
export function labelledAs(
  clusters: readonly Pick<ClusterView, 'name' | 'labels'>[],
  selector: string,
): Labelled {
  const read = readSelector(selector)
  if (!read.ok) return read
  const names = clusters.flatMap(({ name, labels }) => (read.test(labels) ? [name] : []))
  return { ok: true, names }
}

/** Labels as they are written, `key=value`; a key alone where the value is empty. */
export const labelTexts = (labels: Readonly<Record<string, string>>): readonly string[] =>
  Object.entries(labels).map(([key, value]) => (value === '' ? key : `${key}=${value}`))

/** Every label that some cluster has, in order. */
export const labelsInUse = (clusters: readonly Pick<ClusterView, 'labels'>[]): readonly string[] =>
  [...new Set(clusters.flatMap(({ labels }) => labelTexts(labels)))].sort()
