/**
 * Admission policies as the API keeps them, as far as they can be judged without running their expressions: those that always
 * refuse what they match. Source: the API reference, ValidatingAdmissionPolicy and its binding.
 */
import { list, record, text, texts } from './json'
import { resourcesOf } from './plural'
import { selectorTest } from './selector'
import type { ApiObject } from './read'
import type { LabelSelector } from './schema'

export const policyKind = 'ValidatingAdmissionPolicy'
export const bindingKind = 'ValidatingAdmissionPolicyBinding'
/** The first minor that serves them as v1. */
export const policiesServedFrom = '1.30'

export interface PolicyRefusal {
  readonly policy: string
  readonly binding: string
  /** Whether it refuses, or only warns. */
  readonly refuses: boolean
  readonly message: string
}

const holds = (listed: unknown, value: string): boolean => {
  const values = texts(listed)
  return values.includes('*') || values.includes(value)
}

const selects = (selector: unknown, labels: Readonly<Record<string, string>>): boolean =>
  selector === undefined || selectorTest(selector as LabelSelector)(labels)

export interface Admitted {
  readonly apiVersion: string
  readonly kind: string
  readonly operation: 'CREATE' | 'UPDATE'
  /** Labels of its namespace, its name among them; null for what belongs to the whole cluster. */
  readonly namespaceLabels: Readonly<Record<string, string>> | null
}

function isMatched(
  constraints: unknown,
  { apiVersion, kind, operation, namespaceLabels }: Admitted,
): boolean {
  const matched = record(constraints)
  const slash = apiVersion.indexOf('/')
  const [group, version] =
    slash < 0 ? ['', apiVersion] : [apiVersion.slice(0, slash), apiVersion.slice(slash + 1)]
  const rules = list(matched['resourceRules']).map(record)
  const isNamed =
    rules.length === 0 ||
    rules.some(
      (rule) =>
        holds(rule['operations'], operation) &&
        holds(rule['apiGroups'], group) &&
        holds(rule['apiVersions'], version) &&
        holds(rule['resources'], resourcesOf(kind)),
    )
  return (
    isNamed && (namespaceLabels === null || selects(matched['namespaceSelector'], namespaceLabels))
  )
}

/** Policies that say no to an object whatever it holds: one of their validations is `false`. */
export function policyRefusals(
  live: readonly ApiObject[],
  object: Admitted,
): readonly PolicyRefusal[] {
  const policies = new Map(
    live
      .filter(({ kind }) => kind === policyKind)
      .map((policy) => [policy.metadata?.name ?? '', record(record(policy)['spec'])] as const),
  )
  if (policies.size === 0) return []
  return live.flatMap((binding) => {
    if (binding.kind !== bindingKind) return []
    const spec = record(record(binding)['spec'])
    const policy = policies.get(text(spec['policyName']))
    const refusing = list(policy?.['validations'])
      .map(record)
      .find((validation) => text(validation['expression']).trim() === 'false')
    if (!policy || !refusing) return []
    if (
      !isMatched(policy['matchConstraints'], object) ||
      !isMatched(spec['matchResources'], object)
    )
      return []
    return [
      {
        policy: text(spec['policyName']),
        binding: binding.metadata?.name ?? '',
        refuses: texts(spec['validationActions']).includes('Deny'),
        message: text(refusing['message']),
      },
    ]
  })
}
