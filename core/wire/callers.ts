/**
 * Caller rules: which service account may call which service, with which requests. A caller that is listed for a service
 * keeps to what it is listed for; whether others may call is up to the service’s namespace, which is open or closed to them.
 * Our own kind (`gyrarch/v1`, CallerRule); the namespace says `gyrarch/callers: closed` as a label.
 */
import { type ApiObject, ofKind, record, records, text, texts } from '../objects'

export const callersLabel = 'gyrarch/callers'

export interface CallerRule {
  /** `namespace/name` */
  readonly key: string
  readonly namespace: string
  readonly service: string
  readonly callers: readonly { readonly namespace: string; readonly serviceAccount: string }[]
  /** Any of these; none is every request. Paths are prefixes, element by element. */
  readonly requests: readonly {
    readonly methods: readonly string[]
    readonly paths: readonly string[]
  }[]
}

export interface CallerWorld {
  readonly rules: readonly CallerRule[]
  readonly closed: ReadonlySet<string>
}

export interface CallerVerdict {
  readonly allowed: boolean
  /** The rules that list the caller, or `open` or `closed` for what its namespace does with the others. */
  readonly by: readonly string[] | 'open' | 'closed'
}

export function readCallers(objects: readonly ApiObject[]): CallerWorld {
  return {
    rules: objects.flatMap((object) => {
      if (object.kind !== 'CallerRule') return []
      const namespace = object.metadata?.namespace ?? 'default'
      const spec = record(object['spec'])
      return [
        {
          key: `${namespace}/${object.metadata?.name ?? ''}`,
          namespace,
          service: text(spec['service']),
          callers: records(spec['callers']).map((caller) => ({
            namespace: text(caller['namespace']) || namespace,
            serviceAccount: text(caller['serviceAccount']),
          })),
          requests: records(spec['requests']).map((request) => ({
            methods: texts(request['methods']).map((method) => method.toUpperCase()),
            paths: texts(request['paths']),
          })),
        },
      ]
    }),
    closed: new Set(
      ofKind(objects, 'Namespace')
        .filter(({ metadata }) => metadata.labels?.[callersLabel] === 'closed')
        .map(({ metadata }) => metadata.name),
    ),
  }
}

const prefixes = (prefix: string, path: string): boolean => {
  const bare = prefix.length > 1 ? prefix.replace(/\/+$/, '') : prefix
  return bare === '/' || bare === '' || path === bare || path.startsWith(`${bare}/`)
}

/** Whether a service account may send a request to a service, and what decided. */
export function mayCall(
  world: CallerWorld,
  caller: { readonly namespace: string; readonly serviceAccount: string },
  service: { readonly namespace: string; readonly name: string },
  request: { readonly method: string; readonly path: string },
): CallerVerdict {
  const listed = world.rules.filter(
    (rule) =>
      rule.namespace === service.namespace &&
      rule.service === service.name &&
      rule.callers.some(
        (candidate) =>
          candidate.namespace === caller.namespace &&
          candidate.serviceAccount === caller.serviceAccount,
      ),
  )
  if (listed.length === 0)
    return world.closed.has(service.namespace)
      ? { allowed: false, by: 'closed' }
      : { allowed: true, by: 'open' }
  const meets = listed.filter(
    (rule) =>
      rule.requests.length === 0 ||
      rule.requests.some(
        (candidate) =>
          (candidate.methods.length === 0 ||
            candidate.methods.includes(request.method.toUpperCase())) &&
          (candidate.paths.length === 0 ||
            candidate.paths.some((path) => prefixes(path, request.path))),
      ),
  )
  return {
    allowed: meets.length > 0,
    by: (meets.length > 0 ? meets : listed).map((rule) => rule.key).sort(),
  }
}
