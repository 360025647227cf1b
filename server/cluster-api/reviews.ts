/** What the one who asks may do, as reviews of the API answer it. */
import { mayDo } from '~/core/fleet'
import { asText, type Json, record, text } from '~/core/objects'
import { jsonOf } from '../bodies/json'
import type { Caller } from './sign-in'
import { ApiRefusal } from './status'

function bodyOf(body: Buffer, kind: string): Json {
  let given: unknown
  try {
    given = jsonOf(body, { depth: 20, values: 1000 })
  } catch {
    throw new ApiRefusal(400, `the body of a ${kind} is JSON`)
  }
  const object = record(given)
  if (object['kind'] !== undefined && object['kind'] !== kind)
    throw new ApiRefusal(400, `the body is a ${asText(object['kind']).slice(0, 60)}, not a ${kind}`)
  return object
}

/** What everybody who is signed in may read: what the API consists of, and whether it is well. */
const openPaths = ['/api', '/apis', '/healthz', '/livez', '/readyz', '/version']
const isOpenPath = (path: string): boolean =>
  openPaths.some((open) => path === open || path.startsWith(`${open}/`))

/** What everybody who is signed in may create: reviews of their own rights. */
const isOwnReview = (deed: {
  readonly verb: string
  readonly apiGroup: string
  readonly resource: string
}) =>
  deed.verb === 'create' &&
  deed.apiGroup === 'authorization.k8s.io' &&
  /^selfsubject(access|rules)reviews$/.test(deed.resource)

function mayAsked({ rights }: Caller, spec: Json): boolean {
  if (rights === null) return true
  if (spec['nonResourceAttributes'] !== undefined) {
    const { path, verb } = record(spec['nonResourceAttributes'])
    return text(verb) === 'get' && isOpenPath(text(path))
  }
  const asked = record(spec['resourceAttributes'])
  const part = text(asked['subresource'])
  const namespace = text(asked['namespace'])
  const name = text(asked['name'])
  const deed = {
    verb: text(asked['verb']),
    apiGroup: text(asked['group']),
    resource: `${text(asked['resource'])}${part === '' ? '' : `/${part}`}`,
    namespace: namespace === '' ? null : namespace,
    name: name === '' ? null : name,
  }
  return isOwnReview(deed) || mayDo(rights, deed)
}

const everything = ['*']

function rulesOf({ rights }: Caller, namespace: string): Json {
  if (rights === null)
    return {
      resourceRules: [{ verbs: everything, apiGroups: everything, resources: everything }],
      nonResourceRules: [{ verbs: everything, nonResourceURLs: everything }],
      incomplete: false,
    }
  const own = rights
    .filter((right) => right.namespace === null || right.namespace === namespace)
    .map(({ verbs, groups, resources, names }) => ({
      verbs,
      apiGroups: groups,
      resources,
      ...(names.length > 0 ? { resourceNames: names } : {}),
    }))
  return {
    resourceRules: [
      ...own,
      {
        verbs: ['create'],
        apiGroups: ['authorization.k8s.io'],
        resources: ['selfsubjectaccessreviews', 'selfsubjectrulesreviews'],
      },
    ],
    nonResourceRules: [
      { verbs: ['get'], nonResourceURLs: openPaths.flatMap((path) => [path, `${path}/*`]) },
    ],
    incomplete: false,
  }
}

/** The answer to a review posted at a path, or null where none is asked for. */
export function reviewed(caller: Caller, path: string, body: Buffer): Json | null {
  const [, plural] = /^\/apis\/authorization\.k8s\.io\/v1\/(\w+)$/.exec(path) ?? []
  const head = { apiVersion: 'authorization.k8s.io/v1', metadata: { creationTimestamp: null } }
  if (plural === 'selfsubjectaccessreviews') {
    const kind = 'SelfSubjectAccessReview'
    const { spec = {} } = bodyOf(body, kind)
    return { ...head, kind, spec, status: { allowed: mayAsked(caller, record(spec)) } }
  }
  if (plural === 'selfsubjectrulesreviews') {
    const kind = 'SelfSubjectRulesReview'
    const { spec = {} } = bodyOf(body, kind)
    return { ...head, kind, spec, status: rulesOf(caller, text(record(spec)['namespace'])) }
  }
  return null
}
