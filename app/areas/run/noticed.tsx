/** Who would notice what a draft stops or takes away. */
import { countText } from '~/core/units'
import type { Noticing } from '~/server/mend/who-notices'

const mostShown = 12

export function Noticed({ notices }: { readonly notices: readonly Noticing[] }) {
  if (notices.length === 0) return null
  const more = notices.length - mostShown
  return (
    <div>
      <h3>Who would notice</h3>
      <ul className="facts">
        {notices.slice(0, mostShown).map(({ what, who, says }) => (
          <li key={`${what} ${who} ${says}`}>
            <span className="mono">{who}</span>
            <span className="source">{says}</span>
          </li>
        ))}
      </ul>
      {more > 0 ? <p className="soft">and {countText(more, 'more', 'more')}</p> : null}
    </div>
  )
}
