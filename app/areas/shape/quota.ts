/** How near a namespace is to what its quotas allow. */
import { parseBytes, parseCpuMilli } from '~/core/units'

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
  return limit === undefined ? null : amountIn(resource, limit)
}

/** An amount of a resource in its unit; null where it cannot be read, which another API may well hold. */
function amountIn(resource: string, text: string): number | null {
  const read = /(^|\.)cpu$/.test(resource) ? parseCpuMilli(text) : parseBytes(text)
  return read.ok ? read.value : null
}

/** What the quotas of a namespace allow, by resource: of several that limit the same the tightest holds. */
export function hardLimits(
  quotas: readonly Readonly<Record<string, unknown>>[],
): Readonly<Record<string, string>> {
  const limits = new Map<string, string>()
  for (const hard of quotas)
    for (const [resource, amount] of Object.entries(hard)) {
      const text = String(amount)
      const before = limits.get(resource)
      const isTighter =
        before === undefined ||
        (amountIn(resource, text) ?? Infinity) < (amountIn(resource, before) ?? Infinity)
      if (isTighter) limits.set(resource, text)
    }
  return Object.fromEntries(limits)
}

/** From this share of a quota on, a namespace is near it. */
const near = 0.9

/** Whether a namespace asks for nearly all that one of its quotas allows. */
export const isNearQuota = (row: Quotaed): boolean =>
  (['cpu', 'memory', 'pods'] as const).some((resource) => {
    const limit = allowed(row, resource)
    return limit !== null && row[resource] >= near * limit
  })
