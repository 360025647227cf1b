/** One value of a text changed where it stands: comments, order and every other line stay as they are. */
import { isAlias, isMap, isScalar } from 'yaml'
import { apiDocuments } from '../objects'
import { objectKey, type WrittenObject } from './parse'

/**
 * The text with another value at a path of one of its objects, or null where that value is not written there plainly, or
 * the object stands inside a list. Time: one reading of the text.
 */
export function textWith(
  text: string,
  object: WrittenObject,
  path: readonly (string | number)[],
  value: string | number | null | unknown,
): string | null {
  if (typeof value !== 'string' && typeof value !== 'number') return null
  const document = apiDocuments(text).find((candidate) => {
    if (candidate.errors.length > 0 || !isMap(candidate.contents)) return false
    const kind: unknown = candidate.get('kind')
    const name: unknown = candidate.getIn(['metadata', 'name'])
    const namespace: unknown = candidate.getIn(['metadata', 'namespace'])
    return (
      typeof kind === 'string' &&
      typeof name === 'string' &&
      objectKey({
        kind,
        metadata: { name, ...(typeof namespace === 'string' ? { namespace } : {}) },
      }) === objectKey(object)
    )
  })
  const node: unknown = document?.getIn(path, true)
  if (!isScalar(node) || isAlias(node) || !node.range) return null
  const [begin, end] = node.range
  return `${text.slice(0, begin)}${value}${text.slice(end)}`
}
