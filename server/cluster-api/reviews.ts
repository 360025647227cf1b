/** What the one who asks may do, as reviews of the API answer it: who is signed in may do everything. */
import { record } from '~/core/objects'
import { jsonOf } from '../bodies/json'
import { ApiRefusal } from './status'

type Json = Readonly<Record<string, unknown>>

function bodyOf(body: Buffer, kind: string): Json {
  let given: unknown
  try {
    given = jsonOf(body, { depth: 20, values: 1000 })
  } catch {
    throw new ApiRefusal(400, `the body of a ${kind} is JSON`)
  }
  const object = record(given)
  if (object['kind'] !== undefined && object['kind'] !== kind)
    throw new ApiRefusal(400, `the body is a ${String(object['kind']).slice(0, 60)}, not a ${kind}`)
  return object
}

/** The answer to a review posted at a path, or null where none is asked for. */
export function reviewed(path: string, body: Buffer): Json | null {
  const [, plural] = /^\/apis\/authorization\.k8s\.io\/v1\/(\w+)$/.exec(path) ?? []
  const head = { apiVersion: 'authorization.k8s.io/v1', metadata: { creationTimestamp: null } }
  if (plural === 'selfsubjectaccessreviews') {
    const kind = 'SelfSubjectAccessReview'
    const { spec = {} } = bodyOf(body, kind)
    return { ...head, kind, spec, status: { allowed: true } }
  }
  if (plural === 'selfsubjectrulesreviews') {
    const kind = 'SelfSubjectRulesReview'
    const { spec = {} } = bodyOf(body, kind)
    const all = ['*']
    return {
      ...head,
      kind,
      spec,
      status: {
        resourceRules: [{ verbs: all, apiGroups: all, resources: all }],
        nonResourceRules: [{ verbs: all, nonResourceURLs: all }],
        incomplete: false,
      },
    }
  }
  return null
}
