/** Label selectors as one writes them in a line: `stage=production,team in (orchids, ferns),!old`. Source: the Kubernetes API concepts, label selectors. */

export type LabelsTest = (labels: Readonly<Record<string, unknown>>) => boolean

export type SelectorText =
  { readonly ok: true; readonly test: LabelsTest } | { readonly ok: false; readonly says: string }

/** As many terms as a selector may have. */
const mostTerms = 10_000
const keyForm =
  /^([a-z0-9A-Z]([-a-z0-9A-Z.]*[a-z0-9A-Z])?\/)?[a-z0-9A-Z]([-a-z0-9A-Z_.]{0,61}[a-z0-9A-Z])?$/
const valueForm = /^([a-z0-9A-Z]([-a-z0-9A-Z_.]{0,61}[a-z0-9A-Z])?)?$/

/** Terms that commas part, but for those inside brackets; why there are too many. */
export function selectorTerms(
  text: string,
):
  | { readonly ok: true; readonly terms: readonly string[] }
  | { readonly ok: false; readonly says: string } {
  const terms = text.split(/,(?![^(]*\))/)
  return terms.length > mostTerms
    ? {
        ok: false,
        says: `a selector of ${terms.length} terms: no more than ${mostTerms} are read`,
      }
    : { ok: true, terms: terms.map((term) => term.trim()) }
}

const inSet = /^(\S+)\s+(in|notin)\s+\(([^()]*)\)$/
const isEqual = /^([^=!\s]+)\s*(==|=|!=)\s*([^=!\s]*)$/
const isThere = /^(!?)\s*(\S+)$/

/** A term as a test; null for what is none. */
function termTest(term: string): LabelsTest | null {
  const set = inSet.exec(term)
  if (set) {
    const [, key = '', operator, text = ''] = set
    const values = text.split(',').map((value) => value.trim())
    if (!keyForm.test(key) || !values.every((value) => valueForm.test(value))) return null
    const wanted = new Set<unknown>(values)
    return operator === 'in'
      ? (labels) => Object.hasOwn(labels, key) && wanted.has(labels[key])
      : (labels) => !Object.hasOwn(labels, key) || !wanted.has(labels[key])
  }
  const equal = isEqual.exec(term)
  if (equal) {
    const [, key = '', operator, value = ''] = equal
    if (!keyForm.test(key) || !valueForm.test(value)) return null
    return operator === '!='
      ? (labels) => !Object.hasOwn(labels, key) || labels[key] !== value
      : (labels) => Object.hasOwn(labels, key) && labels[key] === value
  }
  const [, not = '', key = ''] = isThere.exec(term) ?? []
  if (!keyForm.test(key)) return null
  return (labels) => Object.hasOwn(labels, key) === (not === '')
}

/** What a selector lets through, all of its terms at once; an empty one everything. */
export function readSelector(text: string): SelectorText {
  if (text.trim() === '') return { ok: true, test: () => true }
  const read = selectorTerms(text)
  if (!read.ok) return read
  const tests: LabelsTest[] = []
  for (const term of read.terms) {
    const test = termTest(term)
    if (!test)
      return {
        ok: false,
        says: `unable to parse requirement: "${term.slice(0, 200)}" is no selector`,
      }
    tests.push(test)
  }
  return { ok: true, test: (labels) => tests.every((test) => test(labels)) }
}
