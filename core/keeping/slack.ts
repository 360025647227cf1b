/** A disruption budget that lets one pod more go: what helps a drain that it holds. */
import type { Offer } from '../changes'
import { type ApiObject, record, text } from '../objects'
import { said } from './says'

/** The budget as it would let one more go; null where it is not known. */
function looser(budget: ApiObject): ApiObject {
  const spec = record(record(budget)['spec'])
  const { minAvailable, maxUnavailable, ...rest } = spec
  const slack =
    maxUnavailable === undefined && typeof minAvailable === 'number' && minAvailable > 0
      ? { minAvailable: minAvailable - 1 }
      : { maxUnavailable: 1 }
  const metadata = record(budget.metadata)
  return {
    apiVersion: text(record(budget)['apiVersion']) || 'policy/v1',
    kind: 'PodDisruptionBudget',
    metadata: { name: text(metadata['name']), namespace: text(metadata['namespace']) },
    spec: { ...rest, ...slack },
  } as ApiObject
}

/** Offers to let one pod more of a budget go, by its `namespace/name`. */
export function slackOffers(
  objects: readonly ApiObject[],
  cluster: string,
  key: string,
): readonly Offer[] {
  const [namespace, name] = key.split('/')
  const budget = objects.find(
    ({ kind, metadata }) =>
      kind === 'PodDisruptionBudget' &&
      metadata?.namespace === namespace &&
      metadata?.name === name,
  )
  if (!budget) return []
  return [
    {
      ...said('budget-slack', { budget: key }),
      change: {
        kind: 'manifest.apply',
        intent: { cluster, text: `${JSON.stringify(looser(budget), null, 2)}\n` },
      },
    },
  ]
}

/** The rules under which a refused eviction shows in the check of a drain. */
export const budgetRules = (key: string): readonly string[] =>
  ['budget.not-ready', 'budget.never', 'budget.exhausted'].map(
    (code) => `drain.${code}.${JSON.stringify(key)}`,
  )

/** The budget that refused an eviction, as `namespace/name`; null where none did. */
export function refusingBudget(chain: readonly { readonly about: string }[]): string | null {
  const about = chain.find((link) => link.about.startsWith('poddisruptionbudget/'))?.about
  const [, , namespace, name] = about?.split('/') ?? []
  return namespace !== undefined && name !== undefined && name !== ''
    ? `${namespace}/${name}`
    : null
}
