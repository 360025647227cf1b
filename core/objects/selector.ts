/** Label selectors and node terms, compiled to predicates. Source: the API reference, LabelSelector and NodeSelectorTerm. */
import type { LabelSelector, NodeTerm, Requirement } from './schema'

export type Labels = Readonly<Record<string, string>>
export type LabelTest = (labels: Labels) => boolean

const whole = /^[+-]?\d{1,18}$/

/** One requirement. `NotIn` and `DoesNotExist` hold where the label is absent; `Gt` and `Lt` compare whole numbers. An unknown operator never holds. */
export function requirementTest({ key, operator, values }: Requirement): LabelTest {
  const wanted = new Set(values ?? [])
  const bound = values?.[0] ?? ''
  const compare = (labels: Labels, holds: (left: bigint, right: bigint) => boolean): boolean => {
    const value = Object.hasOwn(labels, key) ? (labels[key] ?? '') : ''
    return whole.test(value) && whole.test(bound) && holds(BigInt(value), BigInt(bound))
  }
  switch (operator) {
    case 'In':
      return (labels) => Object.hasOwn(labels, key) && wanted.has(labels[key] ?? '')
    case 'NotIn':
      return (labels) => !Object.hasOwn(labels, key) || !wanted.has(labels[key] ?? '')
    case 'Exists':
      return (labels) => Object.hasOwn(labels, key)
    case 'DoesNotExist':
      return (labels) => !Object.hasOwn(labels, key)
    case 'Gt':
      return (labels) => compare(labels, (left, right) => left > right)
    case 'Lt':
      return (labels) => compare(labels, (left, right) => left < right)
    default:
      return () => false
  }
}

/** A selector that is absent matches nothing, an empty one everything. */
export function selectorTest(selector: LabelSelector | null | undefined): LabelTest {
  if (selector === null || selector === undefined) return () => false
  const wanted = Object.entries(selector.matchLabels ?? {})
  const tests = (selector.matchExpressions ?? []).map(requirementTest)
  return (labels) =>
    wanted.every(([key, value]) => Object.hasOwn(labels, key) && labels[key] === value) &&
    tests.every((test) => test(labels))
}

/** A node term: all its expressions and fields (`metadata.name` alone) hold. One without any matches no node. */
export function nodeTermTest(term: NodeTerm): (labels: Labels, name: string) => boolean {
  const expressions = (term.matchExpressions ?? []).map(requirementTest)
  const fields = (term.matchFields ?? []).map((field) =>
    field.key === 'metadata.name' && (field.operator === 'In' || field.operator === 'NotIn')
      ? requirementTest(field)
      : () => false,
  )
  if (expressions.length + fields.length === 0) return () => false
  return (labels, name) =>
    expressions.every((test) => test(labels)) &&
    fields.every((test) => test({ 'metadata.name': name }))
}
