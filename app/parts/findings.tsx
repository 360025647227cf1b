/** Findings with their reasons and proven remedies. */
import Button from '@mui/material/Button'
import { useEffect, useState } from 'react'
import type { Finding, Remedy } from '~/core/changes'
import { countText } from '~/core/units'
import { CaseButton } from './case-button'
import { StateGlyph } from './state'
import { SinceWhen } from './since-when'
import { Tick } from '../kit/tick'
import { Tip } from '../kit/tip'

export interface RemedyPlace {
  readonly key: string
  readonly index: number
}

export interface FindingsProps {
  /** The draft they stand against, where it can be asked since when. */
  readonly change?: string
  readonly findings: readonly Finding[]
  /** Told the remedy, and where it stands: by finding and position. */
  readonly onRemedy?: (remedy: Remedy, at: RemedyPlace) => void
  /** Accepted cautions, where they can be accepted. */
  readonly accepted?: ReadonlySet<string>
  readonly onAccept?: (key: string, accept: boolean) => void
}

/** Cautions accepted so far. */
export function useAccepted(): readonly [
  ReadonlySet<string>,
  (key: string, accept: boolean) => void,
] {
  const [accepted, setAccepted] = useState<ReadonlySet<string>>(new Set())
  const set = (key: string, accept: boolean): void =>
    setAccepted((was) => {
      const next = new Set(was)
      if (accept) next.add(key)
      else next.delete(key)
      return next
    })
  return [accepted, set]
}

/** What stands against a draft, in a few words. */
export function standingText(findings: readonly Finding[]): string {
  const stops = findings.filter((finding) => finding.level === 'stop').length
  const cautions = findings.filter((finding) => finding.level === 'caution').length
  if (stops > 0) return `${stops === 1 ? 'One thing stops' : `${stops} things stop`} this`
  if (cautions > 0)
    return `Runs once you accept ${cautions === 1 ? 'one caution' : `${cautions} cautions`}`
  return 'Nothing stands against it'
}

function LevelMark({ level }: Pick<Finding, 'level'>) {
  if (level === 'note') return <b>Note</b>
  return level === 'stop' ? (
    <StateGlyph state="broken" title="Stop" />
  ) : (
    <StateGlyph state="strained" title="Caution" />
  )
}

function OneFinding({
  change,
  finding,
  onRemedy,
  accepted,
  onAccept,
}: Omit<FindingsProps, 'findings'> & { readonly finding: Finding }) {
  return (
    <li className="finding" data-level={finding.level} id={`finding-${finding.key}`}>
      <p className="says">
        <LevelMark level={finding.level} /> {finding.says}
      </p>
      {finding.because.length > 0 ? (
        <details open={finding.level === 'stop' && finding.because.length < 4}>
          <summary>Why: {countText(finding.because.length, 'fact')}</summary>
          <ul className="because">
            {finding.because.map((fact) => (
              <li key={`${fact.says}${fact.source}`}>
                {fact.says} <span className="nowrap">({fact.source})</span>
              </li>
            ))}
          </ul>
        </details>
      ) : null}
      {onRemedy && finding.remedies.length > 0 ? (
        <div className="acts">
          {finding.remedies.map((remedy, i) => (
            <Tip
              key={remedy.says}
              says={
                'patchDraft' in remedy.change
                  ? 'Proven: with this the finding is gone and no new stop comes'
                  : 'Proven: once this other change has run the finding is gone'
              }
            >
              <Button
                variant={i === 0 && finding.level === 'stop' ? 'contained' : 'outlined'}
                onClick={() => onRemedy(remedy, { key: finding.key, index: i })}
              >
                {remedy.says}
              </Button>
            </Tip>
          ))}
        </div>
      ) : null}
      {change === undefined || finding.level === 'note' ? null : (
        <div className="acts">
          <SinceWhen ask={{ finding: finding.key, change }} />
          <CaseButton
            id={null}
            subject={{ cluster: '', about: `finding/${change}/${finding.key}` }}
            variant="text"
          />
        </div>
      )}
      {finding.level === 'caution' && onAccept ? (
        <Tick
          label="I accept this"
          checked={accepted?.has(finding.key) ?? false}
          onChange={(accept) => onAccept(finding.key, accept)}
        />
      ) : null}
    </li>
  )
}

/**
 * What was shown when a press began, until it ends. A list that is drawn anew between the two would take the button
 * away from under the pointer, and the press would be lost.
 */
function useHeldWhilePressed<Value>(value: Value): {
  readonly shown: Value
  readonly onPointerDown: () => void
} {
  const [held, setHeld] = useState<{ readonly value: Value } | null>(null)
  useEffect(() => {
    if (held === null) return
    // A click comes right after the pointer is let go.
    const release = (): void => void setTimeout(() => setHeld(null), 0)
    window.addEventListener('pointerup', release)
    window.addEventListener('pointercancel', release)
    return () => {
      window.removeEventListener('pointerup', release)
      window.removeEventListener('pointercancel', release)
    }
  }, [held])
  return { shown: held ? held.value : value, onPointerDown: () => setHeld({ value }) }
}

export function Findings({ findings, ...rest }: FindingsProps) {
  const { shown, onPointerDown } = useHeldWhilePressed(findings)
  return (
    <ul aria-label="Findings" onPointerDown={onPointerDown}>
      {shown.map((finding) => (
        <OneFinding key={finding.key} finding={finding} {...rest} />
      ))}
    </ul>
  )
}
