/** Findings with their reasons and proven remedies. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import type { Finding, Remedy } from '~/core/changes'
import { countText } from '~/core/units'
import { StateGlyph } from './state'

export interface RemedyPlace {
  readonly key: string
  readonly index: number
}

export interface FindingsProps {
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

function OneFinding({
  finding,
  onRemedy,
  accepted,
  onAccept,
}: Omit<FindingsProps, 'findings'> & { readonly finding: Finding }) {
  return (
    <li className="finding" data-level={finding.level} id={`finding-${finding.key}`}>
      <p className="says">
        {finding.level === 'stop' ? (
          <StateGlyph state="broken" title="Stop" />
        ) : finding.level === 'caution' ? (
          <StateGlyph state="strained" title="Caution" />
        ) : (
          <b>Note</b>
        )}{' '}
        {finding.says}
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
            <Button
              key={remedy.says}
              variant={i === 0 && finding.level === 'stop' ? 'contained' : 'outlined'}
              onClick={() => onRemedy(remedy, { key: finding.key, index: i })}
              title={
                'patchDraft' in remedy.change
                  ? 'Proven: with this the finding is gone and no new stop comes'
                  : 'Proven: once this other change has run the finding is gone'
              }
            >
              {remedy.says}
            </Button>
          ))}
        </div>
      ) : null}
      {finding.level === 'caution' && onAccept ? (
        <label style={{ display: 'flex', gap: 7, marginTop: 7 }}>
          <input
            type="checkbox"
            checked={accepted?.has(finding.key) ?? false}
            onChange={(event) => onAccept(finding.key, event.target.checked)}
          />{' '}
          I accept this
        </label>
      ) : null}
    </li>
  )
}

export function Findings({ findings, ...rest }: FindingsProps) {
  return (
    <ul aria-label="Findings">
      {findings.map((finding) => (
        <OneFinding key={finding.key} finding={finding} {...rest} />
      ))}
    </ul>
  )
}
