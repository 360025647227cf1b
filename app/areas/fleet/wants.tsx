/** What wants somebody, the worst first; what says the same is one line that unfolds. */
import { useMemo } from 'react'
import { useSearchParams } from 'react-router'
import { countText } from '~/core/units'
import { changeGlyph, StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import type { Want, WantGroup } from './rows'

type ShownGroup = WantGroup & { readonly count: number }

const changeStates = { broken: 'halted', working: 'running' } as const

/** A change shows as what it does, all else as how it is. */
function glyphOf(want: Want) {
  if (!want.ref.startsWith('change/')) return want.state
  const { state } = want
  return changeGlyph(state === 'broken' || state === 'working' ? changeStates[state] : 'waiting')
}

function WantLink({ want, says }: { readonly want: Want; readonly says: string | null }) {
  const [search] = useSearchParams()
  const keep = useMemo(() => Object.fromEntries(search), [search])
  return (
    <To path={want.path ?? '/fleet'} query={want.path === null ? { ...keep, on: want.ref } : {}}>
      <span className="want-name">
        <StateGlyph state={glyphOf(want)} title={want.state} />
        <span className="mono">{want.name}</span>
      </span>
      {says === null ? null : <span className="soft want-says">{says}</span>}
    </To>
  )
}

function Group({ group, at }: { readonly group: ShownGroup; readonly at: string | null }) {
  const [first] = group.wants
  if (!first) return null
  if (group.count === 1)
    return (
      <li aria-current={at === first.ref}>
        <WantLink want={first} says={first.says} />
      </li>
    )
  const kind = first.ref.split('/')[0] ?? 'thing'
  return (
    <li>
      <details className="want-group" open={group.wants.some((want) => want.ref === at)}>
        <summary>
          <span className="want-name">
            <StateGlyph state={glyphOf(first)} title={first.state} />
            <b>{countText(group.count, kind)}</b>
          </span>
          <span className="soft want-says">{group.says}</span>
        </summary>
        <ul>
          {group.wants.map((want) => (
            <li key={want.ref} aria-current={at === want.ref}>
              <WantLink want={want} says={null} />
            </li>
          ))}
        </ul>
        {group.count > group.wants.length ? (
          <p className="soft">and {group.count - group.wants.length} more in the table</p>
        ) : null}
      </details>
    </li>
  )
}

export function Wants({
  groups,
  more,
  at,
}: {
  readonly groups: readonly ShownGroup[]
  /** Lines that are not shown. */
  readonly more: number
  readonly at: string | null
}) {
  return (
    <section className="wants" aria-label="Wants you">
      <h2>Wants you</h2>
      <ul>
        {groups.map((group) => (
          <Group key={group.key} group={group} at={at} />
        ))}
      </ul>
      {groups.length === 0 ? <p className="soft">Nothing. All is well.</p> : null}
      {more > 0 ? <p className="soft">and {more} more in the table</p> : null}
    </section>
  )
}
