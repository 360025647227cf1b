/** Checks and plans a draft while it is typed, off the page’s thread. The server’s answer replaces this one. */
import { type Finding, type Plan, planDigest } from '~/core/changes'
import type { FleetView } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'

export interface DraftQuestion {
  readonly id: number
  readonly kind: string
  readonly intent: unknown
  /** Sent when it has changed; kept otherwise. */
  readonly view?: FleetView
}

export interface DraftAnswer {
  readonly id: number
  readonly findings: readonly Finding[]
  readonly plan: Plan | null
  readonly digest: string | null
  /** Why the draft could not be read, or null. */
  readonly unreadable: string | null
}

let view: FleetView | null = null

const issueText = (
  issue: { readonly path: readonly PropertyKey[]; readonly message: string } | undefined,
): string => (issue ? `${issue.path.map(String).join('.')}: ${issue.message}` : 'it does not fit')

function judge({ id, kind, intent }: DraftQuestion): DraftAnswer | null {
  if (!view) return null
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok)
    return {
      id,
      findings: [],
      plan: null,
      digest: null,
      unreadable: read ? issueText(read.issues[0]) : 'unknown kind',
    }
  const findings = read.draft.findings(view)
  const plan = findings.some((finding) => finding.level === 'stop') ? null : read.draft.plan(view)
  return { id, findings, plan, digest: plan ? planDigest(plan) : null, unreadable: null }
}

self.onmessage = ({ data }: MessageEvent<DraftQuestion>): void => {
  if (data.view) view = data.view
  const answer = judge(data)
  if (answer) self.postMessage(answer)
}
