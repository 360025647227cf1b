/** What a caller can have done wrong, as values that the API and the pages show alike. */

import { storageCode } from '../records/start-refusal'

export type ErrorCode =
  'invalid' | 'not-found' | 'conflict' | 'too-large' | 'forbidden' | 'unavailable'

export interface FieldError {
  readonly path: string
  readonly says: string
}

export class Refusal extends Error {
  readonly code: ErrorCode
  readonly fields: readonly FieldError[]
  /** More for the answer’s body, beside `error`. */
  readonly more: Readonly<Record<string, unknown>>

  constructor(
    code: ErrorCode,
    says: string,
    fields: readonly FieldError[] = [],
    more: Readonly<Record<string, unknown>> = {},
  ) {
    super(says)
    this.code = code
    this.fields = fields
    this.more = more
  }
}

/** An error of the storage that a person can do something about, as a refusal; null for any other. */
export function storageRefusal(error: unknown): Refusal | null {
  switch (storageCode(error)) {
    case 'SQLITE_FULL':
    case 'ENOSPC':
      return new Refusal(
        'unavailable',
        'The disk that holds the data is full: nothing was changed. Make room; the clock stands until then.',
      )
    case 'SQLITE_READONLY':
    case 'SQLITE_IOERR':
    case 'EROFS':
      return new Refusal(
        'unavailable',
        'The data cannot be written: nothing was changed. See that their disk can be written again.',
      )
    default:
      return null
  }
}

export const statusOf: Readonly<Record<ErrorCode, number>> = {
  invalid: 400,
  'not-found': 404,
  conflict: 409,
  'too-large': 413,
  forbidden: 403,
  unavailable: 503,
}

const pathText = (path: readonly PropertyKey[]): string =>
  path.reduce<string>((text, part) => {
    if (typeof part === 'number') return `${text}[${part}]`
    if (text === '') return String(part)
    return `${text}.${String(part)}`
  }, '')

interface Issue {
  readonly path: readonly PropertyKey[]
  readonly message: string
  readonly code?: string | undefined
  readonly keys?: readonly string[]
}

/** Schema issues as field errors; an unknown field is named itself. */
export function fieldErrors(
  issues: readonly Issue[],
  prefix: readonly PropertyKey[] = [],
): readonly FieldError[] {
  return issues.slice(0, 50).flatMap((issue): readonly FieldError[] =>
    issue.code === 'unrecognized_keys' && issue.keys
      ? issue.keys.slice(0, 20).map((key) => ({
          path: pathText([...prefix, ...issue.path, key]).slice(0, 300),
          says: 'There is no such field. Leave it out.',
        }))
      : [{ path: pathText([...prefix, ...issue.path]).slice(0, 300), says: issue.message }],
  )
}

export function refuseIssues(
  issues: readonly Issue[],
  prefix: readonly PropertyKey[] = [],
): Refusal {
  const fields = fieldErrors(issues, prefix)
  const first = fields[0]
  return new Refusal(
    'invalid',
    first
      ? `${first.path === '' ? 'The body' : first.path}: ${first.says}`
      : 'The body does not fit.',
    fields,
  )
}
