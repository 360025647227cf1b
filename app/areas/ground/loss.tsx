/** What a hall does if one of its hosts dies: where each machine restarts, and which find no place. */
import type { HostLoss } from '~/core/sizing'
import { countText } from '~/core/units'
import { StateGlyph } from '../../parts/state'

function restartText({ homeless, moves }: HostLoss): string {
  if (homeless.length > 0)
    return `${countText(homeless.length, 'machine finds', 'machines find')} no place.`
  if (moves.length === 0) return 'Nothing runs on it.'
  return moves.length === 1
    ? 'Its only machine restarts in its zone, with its disk, name and address.'
    : `All ${moves.length} machines restart in its zone, with their disks, names and addresses.`
}

export function Loss({ loss }: { readonly loss: HostLoss }) {
  return (
    <section aria-label={`If ${loss.host} dies`} role="status">
      <h2>
        <StateGlyph state={loss.homeless.length > 0 ? 'broken' : 'well'} /> If {loss.host} dies
      </h2>
      <p className="soft">{restartText(loss)}</p>
      <ul className="facts" style={{ marginTop: 6 }}>
        {loss.homeless.map((item) => (
          <li key={item.machine}>
            <span className="mono">{item.machine}</span>
            <span className="source">{item.says}</span>
          </li>
        ))}
        {loss.moves.map((move) => (
          <li key={move.machine}>
            <span className="mono">{move.machine}</span>
            <span className="source mono">→ {move.to}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}
