/**
 * Whether one who is signed in may do something, as the API of a cluster decides it: nothing unless a binding gives it,
 * and nobody gives others more than they have. Source: the Kubernetes reference, Using RBAC Authorization.
 */
import { type Json, texts } from '../objects'
import { covers, coversResource, type Right } from './rights'

/** Who is signed in, by the name and groups that their token or certificate bears. */
export interface Subject {
  readonly name: string
  readonly groups: readonly string[]
}

/** What somebody is about to do. */
export interface Deed {
  readonly verb: string
  readonly apiGroup: string
  /** With the part of it that is meant, as in `pods/log`. */
  readonly resource: string
  /** Null for all namespaces, and for what is in none. */
  readonly namespace: string | null
  /** Null for all of them. */
  readonly name: string | null
}

const accountPrefix = 'system:serviceaccount:'

/** A service account as a subject, with the groups that every account of its namespace is in. */
export const accountSubject = (namespace: string, name: string): Subject => ({
  name: `${accountPrefix}${namespace}:${name}`,
  groups: ['system:serviceaccounts', `system:serviceaccounts:${namespace}`, 'system:authenticated'],
})

/** The namespace and name of a service account, or null for the name of somebody else. */
export function accountOf(
  subject: string,
): { readonly namespace: string; readonly name: string } | null {
  if (!subject.startsWith(accountPrefix)) return null
  const [namespace = '', name = '', ...more] = subject.slice(accountPrefix.length).split(':')
  return namespace === '' || name === '' || more.length > 0 ? null : { namespace, name }
}

/** The rights that bindings give to a subject, by its name, as a service account, or in one of its groups. */
export function rightsOf(rights: readonly Right[], { name, groups }: Subject): readonly Right[] {
  const account = accountOf(name)
  const isMeant = new Set([
    `User ${name}`,
    ...(account ? [`ServiceAccount ${account.namespace}/${account.name}`] : []),
    ...groups.map((group) => `Group ${group}`),
  ])
  return rights.filter(({ subject }) => isMeant.has(subject))
}

const isWithin = (right: Right, namespace: string | null): boolean =>
  right.namespace === null || right.namespace === namespace

/** Whether one of these rights allows a deed. */
export const mayDo = (rights: readonly Right[], deed: Deed): boolean =>
  rights.some(
    (right) =>
      isWithin(right, deed.namespace) &&
      covers(right.verbs, deed.verb) &&
      covers(right.groups, deed.apiGroup) &&
      coversResource(right.resources, deed.resource) &&
      (right.names.length === 0 || (deed.name !== null && right.names.includes(deed.name))),
  )

/** How many combinations of a rule are looked at one by one. */
const mostCombinations = 20_000

/**
 * The first thing that a role’s rules would give and these rights do not have, in words of the API; null where there is
 * none. Rules of more than 20,000 combinations are only held by who may do everything.
 */
export function notHeld(
  rights: readonly Right[],
  rules: readonly Json[],
  namespace: string | null,
): string | null {
  const own = rights.filter((right) => isWithin(right, namespace))
  for (const rule of rules) {
    const [verbs, groups, resources] = [
      texts(rule['verbs']),
      texts(rule['apiGroups']),
      texts(rule['resources']),
    ]
    const names = texts(rule['resourceNames'])
    const isMany = verbs.length * groups.length * resources.length > mostCombinations
    const wanted = isMany
      ? [{ verb: '*', apiGroup: '*', resource: '*' }]
      : verbs.flatMap((verb) =>
          groups.flatMap((apiGroup) => resources.map((resource) => ({ verb, apiGroup, resource }))),
        )
    for (const each of wanted)
      for (const name of names.length === 0 ? [null] : names)
        if (!mayDo(own, { ...each, namespace, name }))
          return `{APIGroups:[${JSON.stringify(each.apiGroup)}], Resources:[${JSON.stringify(each.resource)}], Verbs:[${JSON.stringify(each.verb)}]}`
  }
  return null
}
