/** The changes of a set: in their order, with where each stands. */
import Button from '@mui/material/Button'
import { ArrowDown, ArrowUp, X } from 'lucide-react'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { compositeOf, kindNamed } from '~/core/kinds'
import { type SetIntent, setIntent } from '~/core/sets'
import type { ChangeRecord } from '~/server/changes/changes'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { IconButton } from '../../kit/icon-button'
import { NumberField } from '../../kit/number-field'
import { changeGlyph, StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { clockText } from '../../parts/when'
import { useKeptIntent } from './kept-intent'

const labelOf = (kind: string, intent: unknown): string => {
  const read = kindNamed(kind)?.read(intent)
  return read?.ok === true ? read.draft.label : kind
}

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
export function Members({ record }: { readonly record: ChangeRecord }) {
  const composite = compositeOf(record.kind, record.intent)
  if (!composite) return null
  const children = new Map(record.children.map((child) => [child.position, child]))
  return (
    <ol className="members" aria-label="Changes of this set">
      {composite.set.drafts.map((draft, position) => {
        const child = children.get(position)
        return (
          <li key={position}>
            <StateGlyph state={changeGlyph(child?.state ?? 'waiting')} />
            <span>
              {child ? (
                <To path={`/changes/${child.id}`}>{child.label}</To>
              ) : (
                labelOf(draft.kind, draft.intent)
              )}
              {child?.why ? <span className="soft"> {child.why}</span> : null}
            </span>
            <span className="soft nowrap">{standsAs(child, draft.window)}</span>
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

function Order({ intent, windows, set }: Part & { readonly windows: readonly string[] }) {
  const move = (from: number, to: number): void => {
    const drafts = [...intent.drafts]
    const [moved] = drafts.splice(from, 1)
    if (moved) drafts.splice(to, 0, moved)
    set({ drafts })
  }
  return (
    <ol className="members" aria-label="Changes of this set">
      {intent.drafts.map((draft, position) => {
        const label = labelOf(draft.kind, draft.intent)
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
              ) : null}
              {position < intent.drafts.length - 1 ? (
                <IconButton says={`${label} later`} onClick={() => move(position, position + 1)}>
                  <ArrowDown size={14} aria-hidden />
                </IconButton>
              ) : null}
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
  windows,
}: {
  readonly record: ChangeRecord
  readonly windows: readonly string[]
}) {
  const kept = setIntent.parse(record.intent)
  const { intent, setIntent: keep, says } = useKeptIntent(record.id, kept)
  const set = (change: Partial<SetIntent>): void => keep({ ...intent, ...change })
  return (
    <section className="sheet" aria-label="Draft">
      <p className="soft" role="status">
        {says}
      </p>
      <Rules intent={intent} placeholder={record.label} set={set} />
      <Order intent={intent} windows={windows} set={set} />
    </section>
  )
}

/** Drafts that are chosen to run as one. */
export function RunAsOne({
  drafts,
}: {
  readonly drafts: readonly { readonly id: string; readonly title: string }[]
}) {
  const [chosen, setChosen] = useState<readonly string[]>([])
  const fetcher = useFetcher<{ refused?: string | null }>()
  if (drafts.length < 2) return null
  return (
    <div>
      <h3>Run several as one</h3>
      <ul className="facts">
        {drafts.slice(0, 30).map((draft) => {
          const place = chosen.indexOf(draft.id)
          return (
            <li key={draft.id}>
              <span>{draft.title}</span>
              <Button
                size="small"
                variant={place < 0 ? 'outlined' : 'contained'}
                aria-pressed={place >= 0}
                aria-label={`${draft.title}, in the set`}
                onClick={() =>
                  setChosen(
                    place < 0 ? [...chosen, draft.id] : chosen.filter((id) => id !== draft.id),
                  )
                }
              >
                {place < 0 ? 'add' : String(place + 1)}
              </Button>
            </li>
          )
        })}
      </ul>
      <div className="acts">
        <Button
          variant="contained"
          disabled={chosen.length < 2 || fetcher.state !== 'idle'}
          onClick={() =>
            void fetcher.submit(JSON.stringify({ set: chosen }), {
              method: 'post',
              encType: 'application/json',
            })
          }
        >
          Draft them as one
        </Button>
      </div>
      {fetcher.data?.refused ? <p className="soft">{fetcher.data.refused}</p> : null}
    </div>
  )
}
