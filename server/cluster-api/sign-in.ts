/** Who asks: the subject of a token, or, where that one may, whoever it stands in for. */
import type { IncomingMessage } from 'node:http'
import {
  accountOf,
  accountSubject,
  mayDo,
  type Right,
  rightsIn,
  rightsOf,
  type Subject,
} from '~/core/fleet'
import type { Mirror } from './mirror'
import type { Signing } from './signing'
import { ApiRefusal, placeText } from './status'
import type { Claims } from './tokens'

/** One who is signed in, with what the cluster lets them do. */
export interface Caller {
  readonly subject: Subject
  /** Null for who may do everything. */
  readonly rights: readonly Right[] | null
}

/** Who may do everything: whoever holds the access file of duty, and the group that the open API keeps for it. */
export const duty = 'duty'
const masters = 'system:masters'
const authenticated = 'system:authenticated'

const kinds = ['Role', 'RoleBinding', 'ClusterRole', 'ClusterRoleBinding'] as const

/** The rights that a cluster’s bindings give, read anew when one of them has changed. */
export class Rights {
  private version = -1
  private rights: readonly Right[] = []

  constructor(private readonly mirror: Mirror) {}

  of(subject: Subject): readonly Right[] | null {
    if (subject.name === duty || subject.groups.includes(masters)) return null
    const version = Math.max(...kinds.map((kind) => this.mirror.changedAt(kind)))
    if (version !== this.version) {
      const objects = kinds.flatMap((kind) => [...this.mirror.of(kind).values()])
      this.rights = rightsIn(objects.map(({ object }) => object))
      this.version = version
    }
    return rightsOf(this.rights, subject)
  }
}

export interface SignInDesk {
  readonly mirror: Mirror
  readonly rights: Rights
  readonly signing: Pick<Signing, 'claimsOf'>
}

const unauthorized = (): ApiRefusal => new ApiRefusal(401, 'Unauthorized')

async function subjectOf(desk: SignInDesk, claims: Claims): Promise<Subject> {
  const account = accountOf(claims.subject)
  if (account === null) return { name: claims.subject, groups: [...claims.groups, authenticated] }
  await desk.mirror.refresh()
  const kept = desk.mirror.find('ServiceAccount', account.namespace, account.name)
  if (kept?.uid !== claims.uid) throw unauthorized()
  return accountSubject(account.namespace, account.name)
}

const headerTexts = (value: string | string[] | undefined): readonly string[] =>
  (Array.isArray(value) ? value : (value?.split(',') ?? []))
    .map((each) => each.trim())
    .filter((each) => each !== '')

/** The subject that a request stands in for, as its headers name it; null where it is for whoever sends it. */
function impersonated({ headers }: IncomingMessage): Subject | null {
  const [name, ...more] = headerTexts(headers['impersonate-user'])
  const groups = headerTexts(headers['impersonate-group'])
  if (name === undefined) {
    if (groups.length > 0)
      throw new ApiRefusal(400, 'requested groups without impersonating a user')
    return null
  }
  if (more.length > 0 || name.length > 253 || groups.length > 100)
    throw new ApiRefusal(400, 'Impersonate-User names one user')
  const account = accountOf(name)
  if (account && groups.length === 0) return accountSubject(account.namespace, account.name)
  return { name, groups: [...groups, authenticated] }
}

/** Refuses to stand in for a subject, or in one of the groups that are named, without the right to. */
function mayStandIn({ subject, rights }: Caller, target: Subject): void {
  if (rights === null) return
  const account = accountOf(target.name)
  const given = account ? accountSubject(account.namespace, account.name).groups : [authenticated]
  const groups = target.groups.filter((group) => !given.includes(group))
  const check = (resource: string, namespace: string | null, name: string): void => {
    if (mayDo(rights, { verb: 'impersonate', apiGroup: '', resource, namespace, name })) return
    throw new ApiRefusal(
      403,
      `${resource} "${name}" is forbidden: User "${subject.name}" cannot impersonate resource "${resource}" in API group "" ${placeText(namespace)}`,
      { name, kind: resource },
    )
  }
  if (account) check('serviceaccounts', account.namespace, account.name)
  else check('users', null, target.name)
  for (const group of groups) check('groups', null, group)
}

/** Who asks; refuses a request that nobody is known by. */
export async function signedIn(desk: SignInDesk, request: IncomingMessage): Promise<Caller> {
  const [, token = ''] = /^Bearer\s+(\S+)$/i.exec(request.headers.authorization ?? '') ?? []
  const claims = token === '' ? null : desk.signing.claimsOf(token)
  if (claims === null) throw unauthorized()
  const subject = await subjectOf(desk, claims)
  if (subject.name !== duty) await desk.mirror.refresh()
  const caller = { subject, rights: desk.rights.of(subject) }
  const standsInFor = impersonated(request)
  if (standsInFor === null) return caller
  await desk.mirror.refresh()
  mayStandIn(caller, standsInFor)
  return { subject: standsInFor, rights: desk.rights.of(standsInFor) }
}
