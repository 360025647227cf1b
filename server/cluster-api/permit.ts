/** Whether a caller may do what a request asks for, and gives nobody more than they have. */
import { mayDo, notHeld, rulesOf } from '~/core/fleet'
import { type Json, record, records, text } from '~/core/objects'
import type { Mirror } from './mirror'
import type { ApiVerb, Resource } from './resources'
import type { Caller } from './sign-in'
import { ApiRefusal, groupOf, notFound, placeText, qualified } from './status'
import type { Target } from './target'

/** Where the target is: a namespace itself is in the namespace of its name. */
function namespaceOf({ served, namespace, name }: Target): string | null {
  const place = served.resource.kind === 'Namespace' ? name : namespace
  return place === '' ? null : place
}

function forbidden(resource: Resource, name: string, why: string): ApiRefusal {
  const subject = name === '' ? qualified(resource) : `${qualified(resource)} "${name}"`
  return new ApiRefusal(403, `${subject} is forbidden: ${why}`, {
    ...(name === '' ? {} : { name }),
    ...groupOf(resource),
    kind: resource.plural,
  })
}

/** Refuses what a caller has no right to, in the open API’s words. */
export function permit({ subject, rights }: Caller, target: Target, verb: ApiVerb): void {
  if (rights === null) return
  const { resource } = target.served
  const apiGroup = target.served.group
  const part = target.subresource === null ? '' : `/${target.subresource.name}`
  const plural = `${resource.plural}${part}`
  const namespace = namespaceOf(target)
  if (mayDo(rights, { verb, apiGroup, resource: plural, namespace, name: target.name })) return
  throw forbidden(
    resource,
    target.name ?? '',
    `User "${subject.name}" cannot ${verb} resource "${plural}" in API group "${apiGroup}" ${placeText(namespace)}`,
  )
}

const rolePlurals: Readonly<Record<string, string>> = { Role: 'roles', ClusterRole: 'clusterroles' }

const everything = [{ verbs: ['*'], apiGroups: ['*'], resources: ['*'] }]

/** The rules that an object would give: its own as a role, those of its role as a binding; null for any other object. */
function givenBy(
  mirror: Mirror,
  target: Target,
  object: Json,
): { readonly rules: readonly Json[]; readonly verb: string; readonly role: Json } | null {
  const { name, namespace } = record(object['metadata'])
  const { apiGroup } = target.served.resource
  switch (object['kind']) {
    case 'Role':
    case 'ClusterRole':
      return {
        // What a role gathers is not known beforehand: whoever makes one has to hold everything.
        rules: object['aggregationRule'] ? everything : records(object['rules']),
        verb: 'escalate',
        role: { kind: object['kind'], name },
      }
    case 'RoleBinding':
    case 'ClusterRoleBinding': {
      const role = record(object['roleRef'])
      const kind = text(role['kind'])
      const place = kind === 'Role' ? text(namespace) : ''
      const kept = mirror.find(kind, place, text(role['name']))
      if (!kept) throw notFound({ apiGroup, plural: rolePlurals[kind] ?? '' }, text(role['name']))
      const gathered = [...mirror.of('ClusterRole').values()].map((each) => each.object)
      return { rules: rulesOf(kept.object, gathered), verb: 'bind', role }
    }
    default:
      return null
  }
}

/** Refuses a role or binding that gives more than the caller has, unless they may do just that. */
export function keepsWithin(
  { subject, rights }: Caller,
  mirror: Mirror,
  target: Target,
  object: Json,
): void {
  if (rights === null) return
  const given = givenBy(mirror, target, object)
  if (given === null) return
  const namespace = namespaceOf(target)
  const deed = {
    verb: given.verb,
    apiGroup: 'rbac.authorization.k8s.io',
    resource: rolePlurals[text(given.role['kind'])] ?? '',
    namespace,
    name: text(given.role['name']),
  }
  if (mayDo(rights, deed)) return
  const missing = notHeld(rights, given.rules, namespace)
  if (missing === null) return
  throw forbidden(
    target.served.resource,
    text(record(object['metadata'])['name']),
    `user "${subject.name}" (groups=${JSON.stringify(subject.groups)}) is attempting to grant RBAC permissions not currently held:\n${missing}`,
  )
}
