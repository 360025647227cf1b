/** An object as an API lists it, with its parts at hand. */
import { type ApiObject, isRecord, type Json, record, text } from '~/core/objects'

export interface Listed {
  readonly kind: string
  readonly name: string
  /** `default` where it names none. */
  readonly namespace: string
  readonly labels: Readonly<Record<string, string>>
  readonly metadata: Json
  readonly spec: Json
  readonly status: Json
  readonly whole: Json
}

export function listed(object: ApiObject): Listed {
  const whole: unknown = object
  const parts = isRecord(whole) ? whole : {}
  const metadata = record(parts['metadata'])
  return {
    kind: object.kind,
    name: text(metadata['name']),
    namespace: text(metadata['namespace']) || 'default',
    labels: Object.fromEntries(
      Object.entries(record(metadata['labels'])).map(([key, value]) => [key, text(value)]),
    ),
    metadata,
    spec: record(parts['spec']),
    status: record(parts['status']),
    whole: parts,
  }
}
