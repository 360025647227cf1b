/** Label and field selectors of requests. Source: the Kubernetes API concepts, labels and field selectors. */
import { asText, isRecord, readSelector, record, selectorTerms } from '~/core/objects'
import { ApiRefusal } from './status'

export type ObjectTest = (object: Readonly<Record<string, unknown>>) => boolean

const labelsOf = (object: Readonly<Record<string, unknown>>): Readonly<Record<string, unknown>> =>
  record(record(object['metadata'])['labels'])

/** What was read of a selector; a request with another is refused. */
function orRefused<Read extends { readonly ok: true }>(
  read: Read | { readonly ok: false; readonly says: string },
): Read {
  if (!read.ok) throw new ApiRefusal(400, read.says)
  return read
}

/** What a `labelSelector` lets through; null for one that lets everything through. */
export function labelTest(text: string | null): ObjectTest | null {
  if (text === null || text.trim() === '') return null
  const { test } = orRefused(readSelector(text))
  return (object) => test(labelsOf(object))
}

const everywhere = ['metadata.name', 'metadata.namespace']
const ofKind: Readonly<Record<string, readonly string[]>> = {
  Pod: [
    'spec.nodeName',
    'status.phase',
    'spec.restartPolicy',
    'spec.schedulerName',
    'spec.serviceAccountName',
    'status.podIP',
  ],
  Event: [
    'involvedObject.kind',
    'involvedObject.namespace',
    'involvedObject.name',
    'involvedObject.uid',
    'involvedObject.apiVersion',
    'involvedObject.resourceVersion',
    'involvedObject.fieldPath',
    'reason',
    'reportingComponent',
    'source',
    'type',
  ],
  Node: ['spec.unschedulable'],
  Namespace: ['status.phase'],
  Secret: ['type'],
}

function valueAt(object: Readonly<Record<string, unknown>>, path: string): string {
  let at: unknown = object
  for (const name of path.split('.')) at = isRecord(at) ? at[name] : undefined
  return at === undefined || at === null ? '' : asText(at)
}

function fieldTerm(term: string, kind: string): ObjectTest {
  const [, field = '', operator = '', value = ''] = /^([^=!]+)(==|=|!=)([^=!]*)$/.exec(term) ?? []
  if (field === '') throw new ApiRefusal(400, `invalid field selector: "${term.slice(0, 200)}"`)
  const path = field.trim()
  if (!everywhere.includes(path) && !(ofKind[kind] ?? []).includes(path))
    throw new ApiRefusal(
      400,
      `Unable to find "${kind}" that match a field selector: field label not supported: ${path.slice(0, 200)}`,
    )
  return operator === '!='
    ? (object) => valueAt(object, path) !== value
    : (object) => valueAt(object, path) === value
}

/** What a `fieldSelector` lets through, by the fields that objects of the kind can be chosen by. */
export function fieldTest(text: string | null, kind: string): ObjectTest | null {
  if (text === null || text.trim() === '') return null
  const tests = orRefused(selectorTerms(text)).terms.map((term) => fieldTerm(term, kind))
  return (object) => tests.every((test) => test(object))
}

/** Both selectors of a request together; null where neither is given. */
export function testOf(query: URLSearchParams, kind: string): ObjectTest | null {
  const tests = [
    labelTest(query.get('labelSelector')),
    fieldTest(query.get('fieldSelector'), kind),
  ].filter((test) => test !== null)
  return tests.length === 0 ? null : (object) => tests.every((test) => test(object))
}
