/** Two texts side by side, line by line; what is alike is left out but for a few lines around. */
import { diffLines } from 'diff'
import { useMemo } from 'react'

interface Line {
  readonly key: string
  readonly before: string | null
  readonly after: string | null
  readonly isAlike: boolean
}

const around = 3

function linesOf(text: string): readonly string[] {
  const lines = text.split('\n')
  if (lines.at(-1) === '') lines.pop()
  return lines
}

/** Lines that went and lines that came in their place stand beside each other. */
function aligned(before: string, after: string): readonly Line[] {
  const lines: Line[] = []
  let gone: readonly string[] = []
  const put = (left: readonly string[], right: readonly string[], isAlike: boolean): void => {
    for (let index = 0; index < Math.max(left.length, right.length); index++)
      lines.push({
        key: String(lines.length),
        before: left[index] ?? null,
        after: right[index] ?? null,
        isAlike,
      })
  }
  for (const part of diffLines(before, after)) {
    const own = linesOf(part.value)
    if (part.removed) {
      put(gone, [], false)
      gone = own
    } else if (part.added) {
      put(gone, own, false)
      gone = []
    } else {
      put(gone, [], false)
      gone = []
      put(own, own, true)
    }
  }
  put(gone, [], false)
  return lines
}

export function SideBySide({ before, after }: { readonly before: string; readonly after: string }) {
  const lines = useMemo(() => aligned(before, after), [before, after])
  const shown = lines.map((line, index) =>
    lines.slice(Math.max(0, index - around), index + around + 1).some(({ isAlike }) => !isAlike),
  )
  return (
    <div className="diff" role="table" aria-label="Before and after">
      {lines.map((line, index) => {
        if (!shown[index])
          return shown[index - 1] === true || index === 0 ? (
            <div key={line.key} className="skipped">
              ⋯
            </div>
          ) : null
        return (
          <div key={line.key} role="row" style={{ display: 'contents' }}>
            <div role="cell" className={line.isAlike || line.before === null ? '' : 'gone'}>
              {line.before ?? ''}
            </div>
            <div role="cell" className={line.isAlike || line.after === null ? '' : 'came'}>
              {line.after ?? ''}
            </div>
          </div>
        )
      })}
    </div>
  )
}
