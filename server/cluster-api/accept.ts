/** In which form a client takes its answers. */
import { ApiRefusal } from './status'
import type { Included } from './tables'

export type Form = 'object' | 'table' | 'metadata'

const parts = (entry: string): ReadonlyMap<string, string> =>
  new Map(
    entry
      .split(';')
      .slice(1)
      .map((part) => {
        const [name = '', value = ''] = part.trim().split('=')
        return [name, value] as const
      }),
  )

/** The first form that a client takes and that is made here; refuses where there is none. */
export function formOf(accept: string | undefined): Form {
  if (accept === undefined || accept.trim() === '') return 'object'
  for (const entry of accept.split(',')) {
    const type = entry.split(';')[0]?.trim().toLowerCase() ?? ''
    const given = parts(entry)
    const as = given.get('as')
    if (!['application/json', 'application/*', '*/*'].includes(type)) continue
    if (as === undefined) return 'object'
    const isMeta = given.get('g') === 'meta.k8s.io' && given.get('v') === 'v1'
    if (isMeta && as === 'Table') return 'table'
    if (isMeta && (as === 'PartialObjectMetadata' || as === 'PartialObjectMetadataList'))
      return 'metadata'
  }
  throw new ApiRefusal(
    406,
    'only the following media types are accepted: application/json, application/json;as=Table;v=v1;g=meta.k8s.io, application/json;as=PartialObjectMetadataList;v=v1;g=meta.k8s.io',
  )
}

/** What a table holds of each object. */
export function includedOf(query: URLSearchParams): Included {
  const given = query.get('includeObject') ?? 'Metadata'
  if (given === 'Metadata' || given === 'Object' || given === 'None') return given
  throw new ApiRefusal(
    400,
    `includeObject is None, Metadata or Object, not "${given.slice(0, 60)}"`,
  )
}
