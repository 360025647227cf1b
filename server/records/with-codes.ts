/** Facts as they were kept before they carried codes: their sentence becomes what they tell. */

/** What carries a sentence and is no fact: a button’s label, a step’s name. */
const labelled = new Set(['remedies', 'offers', 'steps', 'plan', 'proof'])

/**
 * The same value with a code and parameters for every sentence in it that has none: the reason of a failure, the rule
 * of a finding, else `told`; the sentence is the one parameter. What has a code already stays as it is.
 */
export function withCodes(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(withCodes)
  if (typeof value !== 'object' || value === null) return value
  const record = value as Readonly<Record<string, unknown>>
  const inner = Object.fromEntries(
    Object.entries(record).map(([key, item]) => [key, labelled.has(key) ? item : withCodes(item)]),
  )
  if (typeof record['says'] !== 'string' || record['code'] !== undefined) return inner
  const named = record['reason'] ?? record['rule']
  return {
    ...inner,
    code: typeof named === 'string' ? named : 'told',
    params: { text: record['says'] },
  }
}
