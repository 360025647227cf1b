/** What was seen of a case, of all sources in one order: searched, kept to one source, followed as it is written. */
import { useEffect, useRef, useState } from 'react'
import type { Seen } from '~/server/mend/case-told'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { Switch } from '../../kit/tick'
import { timeText } from '../../parts/when'

const nameOf = (ref: string): string => ref.split('/').at(-1) ?? ref

/** How often what is followed is read again (ms). */
const followMs = 2000
/** So many lines are shown, the newest. */
const mostLines = 300
/** Within so many pixels of its end a list counts as read to its end. */
const endPixels = 24

/** The evidence of a case: as the page was given it, and while it is followed as it was read last. */
function useFollowed(id: string, given: readonly Seen[], isFollowed: boolean) {
  const [read, setRead] = useState<readonly Seen[] | null>(null)
  const [isLost, setLost] = useState(false)
  useEffect(() => {
    if (!isFollowed) return undefined
    const stop = new AbortController()
    let timer: ReturnType<typeof setTimeout> | undefined
    const again = async (): Promise<void> => {
      try {
        const answer = await fetch(`/api/v1/cases/${encodeURIComponent(id)}/evidence`, {
          signal: stop.signal,
        })
        if (!answer.ok) throw new Error(String(answer.status))
        const { seen } = (await answer.json()) as { readonly seen: readonly Seen[] }
        setRead(seen)
        setLost(false)
      } catch {
        // Whoever left is told nothing; a server that does not answer is asked again.
        if (stop.signal.aborted) return
        setLost(true)
      }
      timer = setTimeout(() => void again(), followMs)
    }
    void again()
    return () => {
      stop.abort()
      clearTimeout(timer)
    }
  }, [id, isFollowed])
  return { seen: isFollowed && read !== null ? read : given, isLost: isFollowed && isLost }
}

/** Keeps a list at its end while it is followed, unless whoever reads it has gone up in it. */
function useAtEnd(lines: number, isFollowed: boolean) {
  const list = useRef<HTMLOListElement>(null)
  const isAtEnd = useRef(true)
  useEffect(() => {
    if (isFollowed && isAtEnd.current && list.current)
      list.current.scrollTop = list.current.scrollHeight
  }, [lines, isFollowed])
  const onScroll = (): void => {
    const { current } = list
    if (current)
      isAtEnd.current = current.scrollHeight - current.scrollTop - current.clientHeight <= endPixels
  }
  return { list, onScroll }
}

export function Evidence({
  id,
  seen: given,
  isOpen,
}: {
  readonly id: string
  readonly seen: readonly Seen[]
  /** Of what is over nothing more is written. */
  readonly isOpen: boolean
}) {
  const [search, setSearch] = useState('')
  const [source, setSource] = useState('')
  const [isFollowed, setFollowed] = useState(false)
  const { seen, isLost } = useFollowed(id, given, isFollowed && isOpen)
  const wanted = search.toLowerCase()
  const sources = [...new Set(seen.map(({ from, kind }) => `${from} ${kind}`))].toSorted()
  const shown = seen
    .filter(({ from, kind }) => source === '' || `${from} ${kind}` === source)
    .filter(({ says, from }) => `${from} ${says}`.toLowerCase().includes(wanted))
    .slice(-mostLines)
  const { list, onScroll } = useAtEnd(shown.length, isFollowed)
  return (
    <>
      <h2 id="evidence">Evidence</h2>
      <div className="evidence-tools">
        <Field label="Search the evidence" value={search} onChange={setSearch} isFind width={260} />
        <Choice
          label="Source"
          value={source}
          onChange={setSource}
          empty="every source"
          options={sources.map((each) => ({ value: each, says: each }))}
          width={260}
        />
        {isOpen ? <Switch label="Follow" checked={isFollowed} onChange={setFollowed} /> : null}
        {isLost ? (
          <span className="soft" role="status">
            not heard; asked again every 2 s
          </span>
        ) : null}
      </div>
      {shown.length === 0 ? (
        <p className="soft">
          {seen.length === 0 ? 'Nothing was written about it.' : 'No line has these words.'}
        </p>
      ) : (
        <ol className="seen" aria-label="Evidence" tabIndex={0} ref={list} onScroll={onScroll}>
          {shown.map((line, index) => (
            <li key={`${line.at} ${line.from} ${index}`} className={line.isCause ? 'cause' : ''}>
              <span>{line.at === null ? '' : timeText(line.at)}</span>
              <span className="from" title={line.from}>
                {nameOf(line.from)} {line.kind}
              </span>
              <span className="says">{line.says}</span>
            </li>
          ))}
        </ol>
      )}
    </>
  )
}
