/**
 * Who may do what in a cluster: subjects of bindings, what their roles allow, asked both ways. Source: rbac.authorization.k8s.io/v1
 * (verbs, groups, resources, names; `*` stands for all; a role binding grants a cluster role within its namespace only).
 */
import {
  type Json,
  labelSelectorSchema,
  record,
  records,
  selectorTest,
  text,
  texts,
} from '../objects'
import { compareText } from '../units'

export interface Right {
  /** `Group duty`, `User ana`, `ServiceAccount market/broker`. */
  readonly subject: string
  readonly verbs: readonly string[]
  readonly groups: readonly string[]
  readonly resources: readonly string[]
  /** Only objects of these names, where any are given. */
  readonly names: readonly string[]
  /** Null is the whole cluster. */
  readonly namespace: string | null
  /** The binding and role it comes from. */
  readonly by: string
}

/** The labels of an object as text. */
const labelsOf = (object: Json): Readonly<Record<string, string>> =>
  Object.fromEntries(
    Object.entries(record(record(object['metadata'])['labels'])).map(([key, value]) => [
      key,
      text(value),
    ]),
  )

/** The rules of a cluster role: its own, or those of all that it gathers by their labels. */
export function rulesOf(role: Json, clusterRoles: readonly Json[]): readonly Json[] {
  const gathers = records(record(role['aggregationRule'])['clusterRoleSelectors']).flatMap(
    (selector) => {
      const read = labelSelectorSchema.safeParse(selector)
      return read.success ? [selectorTest(read.data)] : []
    },
  )
  if (gathers.length === 0) return records(role['rules'])
  return clusterRoles
    .filter((each) => each !== role && gathers.some((test) => test(labelsOf(each))))
    .flatMap((each) => records(each['rules']))
}

/** Every right that bindings among the objects give. Bindings to roles that are not there give none. */
export function rightsIn(objects: readonly object[]): readonly Right[] {
  const given = objects.map(record)
  const clusterRoles = given.filter(({ kind }) => kind === 'ClusterRole')
  const roles = new Map<string, readonly Json[]>()
  for (const object of given) {
    const metadata = record(object['metadata'])
    if (object['kind'] === 'Role')
      roles.set(
        `Role/${text(metadata['namespace'])}/${text(metadata['name'])}`,
        records(object['rules']),
      )
    if (object['kind'] === 'ClusterRole')
      roles.set(`ClusterRole/${text(metadata['name'])}`, rulesOf(object, clusterRoles))
  }
  return given.flatMap((object): readonly Right[] => {
    if (object['kind'] !== 'RoleBinding' && object['kind'] !== 'ClusterRoleBinding') return []
    const metadata = record(object['metadata'])
    const namespace = object['kind'] === 'RoleBinding' ? text(metadata['namespace']) : null
    const ref = record(object['roleRef'])
    const role =
      ref['kind'] === 'ClusterRole'
        ? `ClusterRole/${text(ref['name'])}`
        : `Role/${namespace ?? ''}/${text(ref['name'])}`
    const rules = roles.get(role) ?? []
    return records(object['subjects']).flatMap((subject) =>
      rules.map((rule): Right => ({
        subject:
          subject['kind'] === 'ServiceAccount'
            ? `ServiceAccount ${text(subject['namespace']) || (namespace ?? '')}/${text(subject['name'])}`
            : `${text(subject['kind'])} ${text(subject['name'])}`,
        verbs: texts(rule['verbs']),
        groups: texts(rule['apiGroups']),
        resources: texts(rule['resources']),
        names: texts(rule['resourceNames']),
        namespace,
        by: `${text(object['kind'])} ${namespace === null ? '' : `${namespace}/`}${text(metadata['name'])}, ${text(ref['kind'])} ${text(ref['name'])}`,
      })),
    )
  })
}

/** The API group of a resource as people name it: `deployments.apps`, or `pods` for the core group. */
function parts(request: string): { readonly plural: string; readonly api: string | null } {
  const dot = request.indexOf('.')
  return dot < 0
    ? { plural: request, api: null }
    : { plural: request.slice(0, dot), api: request.slice(dot + 1) }
}

export const covers = (allowed: readonly string[], wanted: string): boolean =>
  allowed.includes('*') || allowed.includes(wanted)

/** `pods/log` is covered by itself, by `*` and by `pods/*`. */
export const coversResource = (allowed: readonly string[], wanted: string): boolean =>
  covers(allowed, wanted) ||
  (wanted.includes('/') &&
    (allowed.includes(`${wanted.split('/')[0] ?? ''}/*`) ||
      allowed.includes(`*/${wanted.split('/')[1] ?? ''}`)))

/** Whether a right allows a verb on a resource in a namespace (null: anywhere in the cluster). */
export function allows(
  right: Right,
  verb: string,
  resource: string,
  namespace: string | null,
): boolean {
  const wanted = parts(resource)
  if (right.namespace !== null && right.namespace !== namespace) return false
  return (
    covers(right.verbs, verb) &&
    coversResource(right.resources, wanted.plural) &&
    (wanted.api === null || covers(right.groups, wanted.api))
  )
}

export interface WhoCan {
  readonly subject: string
  readonly by: readonly string[]
  /** Names to which it is limited; empty is any. */
  readonly names: readonly string[]
}

/** Which subjects can do a verb on a resource. */
export function whoCan(
  rights: readonly Right[],
  verb: string,
  resource: string,
  namespace: string | null,
): readonly WhoCan[] {
  const results = new Map<string, { by: string[]; names: string[]; any: boolean }>()
  for (const right of rights) {
    if (!allows(right, verb, resource, namespace)) continue
    const existing = results.get(right.subject) ?? { by: [], names: [], any: false }
    if (!existing.by.includes(right.by)) existing.by.push(right.by)
    if (right.names.length === 0) existing.any = true
    existing.names.push(...right.names)
    results.set(right.subject, existing)
  }
  return [...results]
    .map(([subject, { by, names, any }]) => ({
      subject,
      by,
      names: any ? [] : [...new Set(names)],
    }))
    .sort((a, b) => compareText(a.subject, b.subject))
}

/** What one subject can do, in the order of its bindings. */
export const whatCan = (rights: readonly Right[], subject: string): readonly Right[] =>
  rights.filter((right) => right.subject === subject)
