/**
 * Findings with proven remedies. A remedy is applied to the draft, the draft is checked again, and the remedy
 * is kept only if its finding is gone and no new stop has come. Proofs look for no remedies of their own,
 * so the cost is one check a remedy; at most three are tried for each finding.
 */
import jsonPatch from 'fast-json-patch'
import type { FleetView } from '../fleet'
import type {
  Answer,
  ChangeKind,
  Finding,
  FindingKey,
  JsonPatch,
  RawFinding,
  Remedy,
  RemedyChange,
} from './change'

/** At most this many remedies are proven for one finding; the rest is withheld. */
export const remediesPerFinding = 3

export const keyOf = (finding: Pick<RawFinding, 'rule' | 'field' | 'about'>): FindingKey =>
  `${finding.rule}|${finding.field ?? finding.about ?? ''}`

/** The draft with the patch applied, or null if the patch does not fit it. The draft itself is left alone. */
export function patchDraft(draft: unknown, patch: JsonPatch): unknown {
  try {
    return jsonPatch.applyPatch(structuredClone(draft), [...patch], true, true, true).newDocument
  } catch {
    return null
  }
}

/** The fleet after another change, or null if that change could not run or does not say what it does. */
export type ApplyChange = (
  change: { readonly kind: string; readonly intent: unknown },
  view: FleetView,
) => FleetView | null

/** Whether `change` clears `key` for this draft and brings no stop that was not there before. */
function clears<Intent>(
  kind: ChangeKind<Intent>,
  draft: Intent,
  view: FleetView,
  before: readonly RawFinding[],
  key: FindingKey,
  change: RemedyChange,
  apply: ApplyChange,
): readonly FindingKey[] | null {
  const amended =
    'patchDraft' in change ? kind.intent.safeParse(patchDraft(draft, change.patchDraft)) : null
  if (amended && !amended.success) return null
  const world = 'patchDraft' in change ? view : apply(change, view)
  if (!world) return null
  const after = kind.check(amended ? amended.data : draft, world)
  const left = new Set(after.map(keyOf))
  const stopsBefore = new Set(before.filter((finding) => finding.level === 'stop').map(keyOf))
  const newStop = after.some(
    (finding) => finding.level === 'stop' && !stopsBefore.has(keyOf(finding)),
  )
  if (left.has(key) || newStop) return null
  return before.map(keyOf).filter((otherName) => !left.has(otherName))
}

/** Checks a draft and proves the remedies of every finding, other changes among them by the fleet that `apply` gives. Findings come stops first, then as the check lists them. */
export function findingsOf<Intent>(
  kind: ChangeKind<Intent>,
  draft: Intent,
  view: FleetView,
  apply: ApplyChange = () => null,
): readonly Finding[] {
  const raw = kind.check(draft, view)
  const rank = { stop: 0, caution: 1, note: 2 }
  return raw
    .map(({ offers = [], ...finding }): Finding => {
      const key = keyOf(finding)
      const remedies: Remedy[] = []
      for (const offer of offers.slice(0, remediesPerFinding)) {
        const cleared = clears(kind, draft, view, raw, key, offer.change, apply)
        if (cleared) remedies.push({ ...offer, clears: cleared })
      }
      return { ...finding, key, remedies }
    })
    .sort((a, b) => rank[a.level] - rank[b.level])
}

/** Remedies for a failed run: amendments of its draft under which no stop stands any more, and changes after which what failed would go. */
export function provenAnswers<Intent>(
  kind: ChangeKind<Intent>,
  draft: Intent,
  view: FleetView,
  offers: readonly Answer[],
  clearsKey: FindingKey,
  apply: ApplyChange = () => null,
): readonly Remedy[] {
  const proven: Remedy[] = []
  for (const { goesIn, ...offer } of offers) {
    if (proven.length >= remediesPerFinding) break
    if (!('patchDraft' in offer.change)) {
      const after = goesIn ? apply(offer.change, view) : null
      if (after && goesIn?.(after)) proven.push({ ...offer, clears: [clearsKey] })
      continue
    }
    const patched = kind.intent.safeParse(patchDraft(draft, offer.change.patchDraft))
    if (!patched.success) continue
    if (kind.check(patched.data, view).some((finding) => finding.level === 'stop')) continue
    proven.push({ ...offer, clears: [clearsKey] })
  }
  return proven
}
