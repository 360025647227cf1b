/** What a draft waits for, and what can be done with it. */
import Button from '@mui/material/Button'
import type { RaiseIntent } from '~/core/provisioning'
import { CopyButton } from '../../parts/copy-button'
import { saveFile } from '../../kit/save-file'
import { Later } from '../../parts/later'
import { markdownOf } from '../run/markdown'
import { To } from '../../parts/to'
import { Notice } from '../../kit/notice'
import type { Route } from './+types/sheet'
import { KeepTemplate } from './keep-template'
import type { useJudged } from './use-judged'
import type { useKeeping } from './use-keeping'

type Data = Route.ComponentProps['loaderData']
type Judged = ReturnType<typeof useJudged>

/** What is judged of the draft as it stands, and whether it can run: nothing against it, and kept. */
export function standing(judged: Judged, accepted: ReadonlySet<string>, isKept: boolean) {
  const stops = judged.findings.filter((finding) => finding.level === 'stop').length
  const missing = judged.findings.filter(
    (finding) => finding.level === 'caution' && !accepted.has(finding.key),
  ).length
  return {
    stops,
    missing,
    isReady: isKept && stops === 0 && missing === 0 && judged.plan !== null,
  }
}

/** What a draft waits for before it can run. */
export function waitText(
  { stops, missing }: ReturnType<typeof standing>,
  isDirty: boolean,
): string {
  if (stops > 0) return 'after the stops are cleared'
  if (missing > 0) return 'after the cautions are accepted'
  return isDirty ? 'as soon as it is kept' : ''
}

export function keptText(keeping: ReturnType<typeof useKeeping>, id: string): string {
  if (keeping.refused !== null && keeping.dirty) return `not kept: ${keeping.refused}`
  return keeping.dirty || keeping.keeping ? 'keeping…' : `draft ${id}, kept`
}

/** Whether the draft is kept, and what can be done with it but running it. */
export function Beside({
  record,
  intent,
  title,
  kept,
  onDiscard,
}: {
  readonly record: Data['record']
  readonly intent: RaiseIntent
  readonly title: string | null
  readonly kept: string
  readonly onDiscard: () => void
}) {
  const share = (): void =>
    saveFile(
      `${intent.name || record.id}.draft.json`,
      'application/json',
      `${JSON.stringify({ gyrarch: 'draft/1', kind: record.kind, title, intent }, null, 2)}\n`,
    )
  return (
    <>
      <span className="soft" role="status">
        {kept}
      </span>
      <span style={{ flex: 1 }} />
      <Button variant="outlined" component={To} path="/raise/compare" query={{ a: record.id }}>
        Compare
      </Button>
      <Button variant="outlined" onClick={share}>
        Share
      </Button>
      <KeepTemplate id={record.id} intent={intent} />
      <Button variant="outlined" onClick={onDiscard}>
        Discard
      </Button>
    </>
  )
}

/** The ways to run the draft: now, later, or by somebody who reads it first. */
export function RunActs({
  data,
  judged,
  accepted,
  waits,
  disabled,
  post,
}: {
  readonly data: Data
  readonly judged: Judged
  readonly accepted: ReadonlySet<string>
  readonly waits: string
  readonly disabled: boolean
  readonly post: (request: Record<string, unknown>) => void
}) {
  const { record, windows, now } = data
  const { planDigest } = record
  return (
    <div className="acts">
      <Button
        variant="contained"
        disabled={disabled}
        onClick={() => post({ do: 'run', accept: [...accepted], planDigest })}
      >
        Run
      </Button>
      <Later
        windows={windows}
        now={now}
        worst={judged.plan?.seconds.worst ?? 0}
        disabled={disabled}
        onSchedule={(when, isShort) => {
          const short = isShort && 'window' in when ? [`window.short|window/${when.window}`] : []
          post({ do: 'schedule', ...when, accept: [...accepted, ...short], planDigest })
        }}
      />
      <CopyButton
        text={() => markdownOf({ ...record, findings: judged.findings, plan: judged.plan })}
      >
        Copy as Markdown
      </CopyButton>
      <span className="soft">{waits}</span>
    </div>
  )
}

export function NotRun({ says }: { readonly says: string | null | undefined }) {
  return says ? (
    <Notice>
      <b>Not run.</b> {says}
    </Notice>
  ) : null
}
