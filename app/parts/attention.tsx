import { StateGlyph } from './state'

export interface AttentionProps {
  readonly wants: readonly string[]
  /** Told where nothing is wanted. */
  readonly well: string
}

/** What wants attention on a page, in one line; or, where nothing does, what is well. */
export function Attention({ wants, well }: AttentionProps) {
  const isWell = wants.length === 0
  return (
    <span className="soft" role="status">
      <StateGlyph state={isWell ? 'well' : 'strained'} /> {isWell ? well : wants.join(' · ')}
    </span>
  )
}
