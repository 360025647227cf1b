/** What stands against a draft, as a case that somebody opened about it: it lasts as long as the draft is found fault with. */
import type { Finding } from '~/core/changes'
import { Refusal } from '../changes/errors'
import type { ChangeRecord, Changes } from '../changes/changes'
import type { KnownTrouble } from '../judging/troubles'
import type { CaseRow } from './case-row'
import { said } from './says'

const subjectOf = /^finding\/(c-\d+)\/(.+)$/s

export const isFinding = (subject: string): boolean => subject.startsWith('finding/')

function troubleOf(change: ChangeRecord, finding: Finding, cluster: string): KnownTrouble {
  const subject = `finding/${change.id}/${finding.key}`
  const about = finding.about ?? subject
  return {
    cluster,
    subject,
    key: `${finding.rule} ${subject}`,
    since: null,
    remedies: finding.remedies.map(({ says, change: remedy }) => ({
      says,
      because: said('finding.clears', { level: finding.level }).says,
      change: remedy,
    })),
    diagnosis: {
      symptom: said('finding.stands', { id: change.id, label: change.label, level: finding.level })
        .says,
      causes: [
        {
          cause: finding.rule,
          about,
          share: 1,
          says: finding.says,
          chain: [
            { about, says: finding.says },
            { about: `change/${change.id}`, says: change.label },
          ],
          because: finding.because.map(({ says, at }) => ({
            type: 'status' as const,
            about,
            at: at ?? null,
            text: says,
          })),
          remedies: [],
        },
      ],
      ruledOut: [],
      next: null,
    },
  }
}

/** The cluster that a draft is about, as its intent names it. */
function clusterOf(intent: unknown): string {
  const given = intent as { readonly cluster?: unknown; readonly name?: unknown } | null
  const name = given?.cluster ?? given?.name
  return typeof name === 'string' ? name : ''
}

export class FindingTroubles {
  constructor(private readonly changes: Pick<Changes, 'get'>) {}

  /** Of the cases that are open about findings, those that still stand. */
  async now(open: readonly CaseRow[]): Promise<readonly KnownTrouble[]> {
    const subjects = open.flatMap(({ troubles }) =>
      troubles.map(({ subject }) => subject).filter(isFinding),
    )
    const troubles: KnownTrouble[] = []
    for (const subject of new Set(subjects)) {
      const trouble = await this.of(subject).catch((error: unknown) => {
        // A draft that was discarded has taken its findings with it.
        if (error instanceof Refusal) return null
        throw error
      })
      if (trouble) troubles.push(trouble)
    }
    return troubles
  }

  /** What is found now; null where it is not found any more, or the draft is none any more. */
  async of(subject: string): Promise<KnownTrouble | null> {
    const [, id, key] = subjectOf.exec(subject) ?? []
    if (id === undefined || key === undefined) return null
    const change = await this.changes.get(id)
    if (change.state !== 'draft') return null
    const finding = change.findings.find((each) => each.key === key)
    return finding ? troubleOf(change, finding, clusterOf(change.intent)) : null
  }
}
