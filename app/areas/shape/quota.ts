/** How near a namespace is to what its quotas allow. */
import { amountOf } from '~/core/objects'

/** What a namespace asks for: milli CPU, bytes, pods; and what its quotas allow, as they write it. */
export interface Quotaed {
  readonly cpu: number
  readonly memory: number
  readonly pods: number
  readonly hard: Readonly<Record<string, string>>
}

export type Resource = 'cpu' | 'memory' | 'pods'

/** What the quotas allow of a resource, in its unit; null where they say nothing. A request is bounded under its plain name, too. */
export function allowed({ hard }: Quotaed, resource: Resource): number | null {
  const limit = hard[resource === 'pods' ? 'pods' : `requests.${resource}`] ?? hard[resource]
  return limit === undefined ? null : amountOf(resource === 'cpu' ? 'cpu' : 'memory', limit, '')
}

/** From this share of a quota on, a namespace is near it. */
const near = 0.9

/** Whether a namespace asks for nearly all that one of its quotas allows. */
export const isNearQuota = (row: Quotaed): boolean =>
  (['cpu', 'memory', 'pods'] as const).some((resource) => {
    const limit = allowed(row, resource)
    return limit !== null && row[resource] >= near * limit
  })
