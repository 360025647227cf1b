import { StateGlyph } from './state'

/** What wants attention on a page, in one line; or, where nothing does, what is well. */
export function Attention({
  wants,
  well,
}: {
  readonly wants: readonly string[]
  readonly well: string
}) {
  const isWell = wants.length === 0
  return (
    <span className="soft" role="status">
      <StateGlyph state={isWell ? 'well' : 'strained'} /> {isWell ? well : wants.join(' · ')}
    </span>
  )
}
