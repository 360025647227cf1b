/** Whose an object is: who may change it in its namespace, and who wrote it last. */
import { type ApiObject, apiGroupOf, record, records, resourcesOf, text } from '../objects'
import { compareText, listText } from '../units'
import { allows, type Right } from './rights'

export interface Whose {
  /** Groups and users that bindings of its own namespace let change it, in the order of their names. */
  readonly people: readonly string[]
  /** The field manager that wrote it last; null where the API tells of none. */
  readonly writer: string | null
}

const isPerson = (subject: string): boolean => /^(Group|User) (?!system:)/.test(subject)

const nameOf = (subject: string): string => subject.slice(subject.indexOf(' ') + 1)

/** The manager whose entry is the latest; of entries alike in time, or without one, the one told last. */
function lastWriter(object: ApiObject): string | null {
  let last: { readonly manager: string; readonly time: string } | null = null
  for (const entry of records(record(object.metadata)['managedFields'])) {
    const told = { manager: text(entry['manager']), time: text(entry['time']) }
    if (told.manager !== '' && (last === null || told.time >= last.time)) last = told
  }
  return last?.manager ?? null
}

/**
 * Whose an object is, by the rights that bindings give. Rights over the whole cluster make nobody its owner: who runs the
 * platform may change everything.
 */
export function whoseIs(rights: readonly Right[], object: ApiObject): Whose {
  const namespace = object.metadata?.namespace ?? null
  const resource = `${resourcesOf(object.kind)}.${apiGroupOf(object.apiVersion ?? '')}`
  const people = rights.filter(
    (right) =>
      right.namespace !== null &&
      isPerson(right.subject) &&
      right.names.length === 0 &&
      (allows(right, 'update', resource, namespace) || allows(right, 'patch', resource, namespace)),
  )
  return {
    people: [...new Set(people.map(({ subject }) => nameOf(subject)))].sort(compareText),
    writer: lastWriter(object),
  }
}

/** Whom to ask about an object, in words. */
export const whoseText = ({ people, writer }: Whose): string =>
  people.length > 0 ? listText(people) : (writer ?? 'came with the platform')
