/** The changes of a set: in their order, with where each stands. */
import { ArrowDown, ArrowUp, X } from 'lucide-react'
import type { SetIntent } from '~/core/sets'
import type { ChangeRecord } from '~/server/changes/changes'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { IconButton } from '../../kit/icon-button'
import { NumberField } from '../../kit/number-field'
import { changeGlyph, StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { clockText } from '../../parts/when'
import type { DraftData } from './draft-data'
import { draftKey } from './draft-key'
import { useKeptIntent } from './kept-intent'

type Labels = DraftData['labels']

/** Where a member stands, in a few words. */
function standsAs(
  child: ChangeRecord['children'][number] | undefined,
  window: string | null,
): string {
  if (!child) return window === null ? 'in its turn' : `in its turn, in ${window}`
  return child.endedAt === null
    ? child.state
    : `${child.state} ${clockText(child.endedAt, { seconds: false })}`
}

/** The set as it runs: members that have begun lead to their own pages. */
export function Members({
  record,
  members,
  labels,
}: {
  readonly record: Pick<ChangeRecord, 'children'>
  readonly members: NonNullable<DraftData['members']>
  readonly labels: Labels
}) {
  const children = new Map(record.children.map((child) => [child.position, child]))
  return (
    <ol className="members" aria-label="Changes of this set">
      {members.map(({ key, window }, position) => {
        const child = children.get(position)
        return (
          <li key={position}>
            <StateGlyph state={changeGlyph(child?.state ?? 'waiting')} />
            <span>
              {child ? <To path={`/changes/${child.id}`}>{child.label}</To> : labels[key]}
              {child?.why ? <span className="soft"> {child.why}</span> : null}
            </span>
            <span className="soft nowrap">{standsAs(child, window)}</span>
          </li>
        )
      })}
    </ol>
  )
}

const requirements = [
  { value: 'nothing', says: 'nothing' },
  { value: 'well', says: 'nothing touched is broken' },
  { value: 'walks', says: 'every kept walk holds' },
] as const

interface Part {
  readonly intent: SetIntent
  readonly set: (change: Partial<SetIntent>) => void
}

function Rules({ intent, placeholder, set }: Part & { readonly placeholder: string }) {
  return (
    <div className="fields">
      <Field
        label="Name"
        value={intent.label}
        placeholder={placeholder}
        onChange={(label) => set({ label })}
        width={240}
      />
      <NumberField
        label="At once, at most"
        width={120}
        value={intent.atOnce}
        min={1}
        max={20}
        onChange={(value) => set({ atOnce: value ?? 1 })}
      />
      <NumberField
        label="Soak after each, minutes"
        width={170}
        value={Math.round(intent.soakSeconds / 60)}
        min={0}
        max={10_080}
        onChange={(value) => set({ soakSeconds: (value ?? 0) * 60 })}
      />
      <Choice
        label="Before the next must hold"
        value={intent.requires}
        options={requirements}
        onChange={(value) =>
          set({ requires: requirements.find((each) => each.value === value)?.value ?? 'nothing' })
        }
        width={220}
      />
      <Choice
        label="One that fails"
        value={intent.onFailure}
        options={[
          { value: 'halt', says: 'halts the rest' },
          { value: 'go-on', says: 'lets the rest go on' },
        ]}
        onChange={(value) => set({ onFailure: value === 'go-on' ? 'go-on' : 'halt' })}
        width={180}
      />
    </div>
  )
}

function Order({
  intent,
  windows,
  labels,
  set,
}: Part & { readonly windows: readonly string[]; readonly labels: Labels }) {
  const move = (from: number, to: number): void => {
    const drafts = [...intent.drafts]
    const [moved] = drafts.splice(from, 1)
    if (moved) drafts.splice(to, 0, moved)
    set({ drafts })
  }
  return (
    <ol className="members" aria-label="Changes of this set">
      {intent.drafts.map((draft, position) => {
        const label = labels[draftKey(draft)] ?? draft.kind
        return (
          <li key={`${position} ${label}`}>
            <span className="mono soft">{position + 1}</span>
            <span>{label}</span>
            <span className="members-acts">
              <Choice
                label={`Window of ${label}`}
                hideLabel
                value={draft.window ?? ''}
                options={[
                  { value: '', says: 'at any time' },
                  ...windows.map((name) => ({ value: name, says: name })),
                ]}
                onChange={(value) =>
                  set({
                    drafts: intent.drafts.map((each, index) =>
                      index === position ? { ...each, window: value === '' ? null : value } : each,
                    ),
                  })
                }
                width={160}
              />
              {position > 0 ? (
                <IconButton says={`${label} earlier`} onClick={() => move(position, position - 1)}>
                  <ArrowUp size={14} aria-hidden />
                </IconButton>
              ) : (
                <span />
              )}
              {position < intent.drafts.length - 1 ? (
                <IconButton says={`${label} later`} onClick={() => move(position, position + 1)}>
                  <ArrowDown size={14} aria-hidden />
                </IconButton>
              ) : (
                <span />
              )}
              {intent.drafts.length > 1 ? (
                <IconButton
                  says={`Take ${label} out`}
                  onClick={() =>
                    set({ drafts: intent.drafts.filter((_, index) => index !== position) })
                  }
                >
                  <X size={14} aria-hidden />
                </IconButton>
              ) : null}
            </span>
          </li>
        )
      })}
    </ol>
  )
}

/** A drafted set: its order and its rules. */
export function SetSheet({
  record,
  set: kept,
  labels,
  windows,
}: {
  readonly record: Pick<ChangeRecord, 'id' | 'label'>
  readonly set: SetIntent
  readonly labels: Labels
  readonly windows: readonly string[]
}) {
  const { intent, setIntent: keep, says } = useKeptIntent(record.id, kept)
  const set = (change: Partial<SetIntent>): void => keep({ ...intent, ...change })
  return (
    <section className="sheet" aria-label="Draft">
      <p className="soft" role="status">
        {says}
      </p>
      <Rules intent={intent} placeholder={record.label} set={set} />
      <Order intent={intent} windows={windows} labels={labels} set={set} />
    </section>
  )
}
