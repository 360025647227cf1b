/** The way of a packet: hops from left to right, each with the addresses it carries there, what rewrote it and what decided. */
import type { HopAnswer } from '~/core/wire'
import './packet-ribbon.css'

export interface PacketRibbonProps {
  readonly hops: readonly HopAnswer[]
  readonly open: number
  readonly onOpen: (index: number) => void
}

const named = (hop: string): string => hop.replace('-', ' ')
const byText = (by: HopAnswer['by']): string => {
  if (typeof by === 'string') {
    if (by === 'default') return ''
    return by
  }
  return by.join(', ')
}

function Part({
  says,
  before,
  after,
}: {
  readonly says: string
  readonly before: string
  readonly after: string | null
}) {
  return (
    <>
      <dt>{says}</dt>
      <dd>
        {after !== null && after !== before ? (
          <>
            <del>{before}</del>
            <br />
            {after}
          </>
        ) : (
          before
        )}
      </dd>
    </>
  )
}

export function PacketRibbon({ hops, open, onOpen }: PacketRibbonProps) {
  if (hops.length === 0)
    return <p className="ribbon-empty">Nothing stands between them: no hop applies.</p>
  return (
    <ol
      className="ribbon"
      aria-label="Hops of the packet"
      style={{ margin: 0, padding: '2px 2px 8px' }}
    >
      {hops.map((hop, i) => {
        const back = hop.hop === 'way-back'
        const rewrites =
          hop.after !== null &&
          !back &&
          (hop.after.source !== hop.before.source ||
            hop.after.destination !== hop.before.destination ||
            hop.after.port !== hop.before.port)
        const target = (header: NonNullable<HopAnswer['after']>): string =>
          `${header.destination}:${header.port}`
        return (
          <li
            key={`${hop.hop}${i}`}
            data-open={i === open}
            data-rewrites={rewrites}
            data-dropped={hop.after === null}
          >
            <button
              type="button"
              aria-pressed={i === open}
              aria-label={`${named(hop.hop)}: ${hop.says}`}
              onClick={() => onOpen(i)}
            >
              <b>{named(hop.hop)}</b>
              <dl>
                {back && hop.after ? (
                  <>
                    <Part says="answer from" before={hop.after.source} after={null} />
                    <Part says="to" before={hop.after.destination} after={null} />
                  </>
                ) : (
                  <>
                    <Part
                      says="from"
                      before={hop.before.source}
                      after={hop.after?.source ?? null}
                    />
                    <Part
                      says="to"
                      before={target(hop.before)}
                      after={hop.after ? target(hop.after) : null}
                    />
                  </>
                )}
              </dl>
              {byText(hop.by) === '' ? null : <span className="by">{byText(hop.by)}</span>}
              {i === open || hops.length < 6 ? <span className="says">{hop.says}</span> : null}
            </button>
          </li>
        )
      })}
    </ol>
  )
}
