/** Answers that are a Status: what was refused, with reason and causes. Source: the Kubernetes API reference, meta/v1 Status. */

export interface StatusCause {
  readonly reason: string
  readonly message: string
  readonly field?: string
}

export interface StatusDetails {
  readonly name?: string
  readonly group?: string
  readonly kind?: string
  readonly uid?: string
  readonly causes?: readonly StatusCause[]
  readonly retryAfterSeconds?: number
}

export interface Status {
  readonly kind: 'Status'
  readonly apiVersion: 'v1'
  readonly metadata: Record<string, never>
  readonly status: 'Success' | 'Failure'
  readonly message?: string
  readonly reason?: string
  readonly details?: StatusDetails
  readonly code: number
}

const reasons: Readonly<Record<number, string>> = {
  400: 'BadRequest',
  401: 'Unauthorized',
  403: 'Forbidden',
  404: 'NotFound',
  405: 'MethodNotAllowed',
  406: 'NotAcceptable',
  409: 'Conflict',
  410: 'Expired',
  413: 'RequestEntityTooLarge',
  415: 'UnsupportedMediaType',
  422: 'Invalid',
  429: 'TooManyRequests',
  500: 'InternalError',
  503: 'ServiceUnavailable',
  504: 'Timeout',
}

/** What a request is answered with instead of what it asked for. */
export class ApiRefusal extends Error {
  readonly code: number
  readonly reason: string
  readonly details: StatusDetails | undefined

  constructor(code: number, message: string, details?: StatusDetails, reason?: string) {
    super(message)
    this.code = code
    this.reason = reason ?? reasons[code] ?? 'Unknown'
    this.details = details
  }

  get status(): Status {
    return {
      kind: 'Status',
      apiVersion: 'v1',
      metadata: {},
      status: 'Failure',
      message: this.message,
      reason: this.reason,
      ...(this.details ? { details: this.details } : {}),
      code: this.code,
    }
  }
}

/** Something was done, and there is no object to show for it. */
export const success = (details: StatusDetails): Status => ({
  kind: 'Status',
  apiVersion: 'v1',
  metadata: {},
  status: 'Success',
  details,
  code: 200,
})

/** What a Status calls the objects of a resource: `pods`, `deployments.apps`. */
export const qualified = ({
  apiGroup,
  plural,
}: {
  readonly apiGroup: string
  readonly plural: string
}): string => (apiGroup === '' ? plural : `${plural}.${apiGroup}`)

/** The group of a resource as details name it: none for the core group. */
export const groupOf = ({
  apiGroup,
}: {
  readonly apiGroup: string
}): { readonly group?: string } => (apiGroup === '' ? {} : { group: apiGroup })

export const notFound = (
  of: { readonly apiGroup: string; readonly plural: string },
  name: string,
): ApiRefusal =>
  new ApiRefusal(404, `${qualified(of)} "${name}" not found`, {
    name,
    ...groupOf(of),
    kind: of.plural,
  })

/** Where something is, as a refusal says it. */
export const placeText = (namespace: string | null): string =>
  namespace === null ? 'at the cluster scope' : `in the namespace "${namespace}"`
