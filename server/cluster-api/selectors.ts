/** Label and field selectors of requests. Source: the Kubernetes API concepts, labels and field selectors. */
import { asText, isRecord, record } from '~/core/objects'
import { ApiRefusal } from './status'

export type ObjectTest = (object: Readonly<Record<string, unknown>>) => boolean

/** As many terms as a selector may have. */
const mostTerms = 10_000
const keyForm =
  /^([a-z0-9A-Z]([-a-z0-9A-Z.]*[a-z0-9A-Z])?\/)?[a-z0-9A-Z]([-a-z0-9A-Z_.]{0,61}[a-z0-9A-Z])?$/
const valueForm = /^([a-z0-9A-Z]([-a-z0-9A-Z_.]{0,61}[a-z0-9A-Z])?)?$/

const unreadable = (text: string): ApiRefusal =>
  new ApiRefusal(400, `unable to parse requirement: "${text.slice(0, 200)}" is no selector`)

const labelsOf = (object: Readonly<Record<string, unknown>>): Readonly<Record<string, unknown>> =>
  record(record(object['metadata'])['labels'])

/** Terms that commas part, but for those inside brackets. */
function termsIn(text: string): readonly string[] {
  const terms = text.split(/,(?![^(]*\))/)
  if (terms.length > mostTerms)
    throw new ApiRefusal(
      400,
      `a selector of ${terms.length} terms: no more than ${mostTerms} are read`,
    )
  return terms.map((term) => term.trim())
}

const inSet = /^(\S+)\s+(in|notin)\s+\(([^()]*)\)$/

function labelTerm(term: string): (labels: Readonly<Record<string, unknown>>) => boolean {
  const set = inSet.exec(term)
  if (set) {
    const [, key = '', operator, text = ''] = set
    const values = text.split(',').map((value) => value.trim())
    if (!keyForm.test(key) || !values.every((value) => valueForm.test(value)))
      throw unreadable(term)
    const wanted = new Set<unknown>(values)
    return operator === 'in'
      ? (labels) => Object.hasOwn(labels, key) && wanted.has(labels[key])
      : (labels) => !Object.hasOwn(labels, key) || !wanted.has(labels[key])
  }
  const equal = /^([^=!\s]+)\s*(==|=|!=)\s*([^=!\s]*)$/.exec(term)
  if (equal) {
    const [, key = '', operator, value = ''] = equal
    if (!keyForm.test(key) || !valueForm.test(value)) throw unreadable(term)
    return operator === '!='
      ? (labels) => !Object.hasOwn(labels, key) || labels[key] !== value
      : (labels) => Object.hasOwn(labels, key) && labels[key] === value
  }
  const [, not = '', key = ''] = /^(!?)\s*(\S+)$/.exec(term) ?? []
  if (!keyForm.test(key)) throw unreadable(term)
  return (labels) => Object.hasOwn(labels, key) === (not === '')
}

/** What a `labelSelector` lets through; null for one that lets everything through. */
export function labelTest(text: string | null): ObjectTest | null {
  if (text === null || text.trim() === '') return null
  const tests = termsIn(text).map(labelTerm)
  return (object) => {
    const labels = labelsOf(object)
    return tests.every((test) => test(labels))
  }
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
  const tests = termsIn(text).map((term) => fieldTerm(term, kind))
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
