/** Troubles of a case from one look to the next: what is kept of them, what is over, what is still named. */
import type { KnownTrouble } from '../judging/troubles'
import type { CaseRow } from './case-row'

export const troubleKey = ({ cluster, subject }: KnownTrouble): string => `${cluster} ${subject}`

/** Causes that were named before and are not any more. */
export function healedIn(
  before: readonly KnownTrouble[],
  after: readonly KnownTrouble[],
): readonly string[] {
  const named = (troubles: readonly KnownTrouble[]) =>
    new Map(
      troubles.flatMap(({ diagnosis }) =>
        diagnosis.causes.map(
          ({ cause, about, says }) =>
            [`${cause.startsWith('webhook') ? 'webhook' : cause} ${about}`, says] as const,
        ),
      ),
    )
  const left = named(after)
  return [...named(before)].flatMap(([key, says]) => (left.has(key) ? [] : [says]))
}

/** Whether what a case is about is still named, though something else explains more for now. */
export const isStillNamed = (row: CaseRow, troubles: readonly KnownTrouble[]): boolean =>
  troubles.some(
    ({ cluster, diagnosis }) =>
      cluster === row.cluster &&
      diagnosis.causes.some(({ cause, about }) => cause === row.cause && about === row.about),
  )

const mostFacts = 50
const mostCauses = 3

/** What is kept of the troubles of a case: the first whole, of the others what they suffer from; seven thousand nodes behind one rule say the same. */
export const kept = (troubles: readonly KnownTrouble[]): readonly KnownTrouble[] =>
  troubles.map((trouble, index) => {
    const { diagnosis } = trouble
    const facts = index === 0 ? mostFacts : 1
    return {
      ...trouble,
      diagnosis: {
        ...diagnosis,
        causes: diagnosis.causes
          .slice(0, index === 0 ? mostFacts : mostCauses)
          .map((cause) => ({ ...cause, because: cause.because.slice(0, facts) })),
      },
      remedies: index === 0 ? trouble.remedies : [],
    }
  })

/** Whether a trouble is about what a page shows, by the ref that the page has for it. */
export function isAboutRef({ cluster, subject }: KnownTrouble, ref: string): boolean {
  if (ref === subject || ref === `cluster/${cluster}`) return true
  const [kind = '', of = '', ...rest] = ref.split('/')
  return of === cluster && rest.length > 0 && [kind, ...rest].join('/') === subject
}

/** What ran on a host that died and has not come back yet elsewhere: it still suffers from that. */
export function recoveringOf(
  { cause, troubles }: CaseRow,
  now: readonly KnownTrouble[],
): readonly KnownTrouble[] {
  if (cause !== 'host-dead') return []
  const before = new Set(troubles.map(troubleKey))
  return now.filter((trouble) => before.has(troubleKey(trouble)))
}

/** Of what a case was about, what is still troubled. */
export function stillIn(row: CaseRow, now: readonly KnownTrouble[]): readonly KnownTrouble[] {
  const left = new Set(now.map(troubleKey))
  return row.troubles.filter((trouble) => left.has(troubleKey(trouble)))
}
