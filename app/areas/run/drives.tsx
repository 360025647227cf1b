/** Drives that a run waits for, and the place where they are put in. */
import type { StepRecord } from '~/server/changes/changes'
import { countText } from '~/core/units'
import { PutDrive } from '../../parts/put-drive'

const isAwait = (step: StepRecord): boolean => step.verb === 'drive.await'

export function DrivesAwaited({ steps }: { readonly steps: readonly StepRecord[] }) {
  const drives = steps.filter(isAwait)
  const open = drives.filter((step) => step.state === 'running' && !step.undoing)
  if (open.length === 0) return null
  const says = open.flatMap((step) => step.evidence.at(-1)?.says ?? [])
  return (
    <section aria-label="Drives waited for" className="joins">
      <h2>
        {drives.length - open.length} of {countText(drives.length, 'drive has', 'drives have')} been
        put in
      </h2>
      {says.map((text) => (
        <p key={text}>{text}</p>
      ))}
      <PutDrive />
    </section>
  )
}
