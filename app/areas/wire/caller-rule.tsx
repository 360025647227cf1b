/** A rule that lists callers of a service, begun with the one that was chosen and what it was seen to ask. */
import { useState } from 'react'
import { listText } from '~/core/units'
import { Field } from '../../kit/field'
import { SeveralField } from '../../kit/several-field'
import { DraftChange } from '../../parts/draft-change'
import type { Call } from './call'
import { callerIntent, callersBeside, identityOf } from './caller-intent'

export function CallerRule({
  cluster,
  cell,
  cells,
}: {
  readonly cluster: string
  readonly cell: Call
  /** All that are seen, of which others may be listed by the same rule. */
  readonly cells: readonly Call[]
}) {
  const [seenMethod = '', seenPath = ''] = cell.asks?.split(' ') ?? []
  const [methods, setMethods] = useState(seenMethod)
  const [paths, setPaths] = useState(seenPath)
  const [beside, setBeside] = useState<readonly string[]>([])
  const identity = identityOf(cell)
  if (identity === null) return null
  return (
    <section className="caller-rule" aria-label="Draft a caller rule">
      <h2>
        {cell.listed.length > 0
          ? `Listed by ${listText(cell.listed, 2)}; list ${identity} for more`
          : `List ${identity} for ${cell.service}`}
      </h2>
      <div className="caller-rule-fields">
        <Field label="Methods" mono value={methods} placeholder="all" onChange={setMethods} />
        <Field label="Paths" mono value={paths} placeholder="/" onChange={setPaths} />
        <SeveralField
          label="Other callers of it"
          value={beside}
          options={callersBeside(cell, cells)}
          onChange={setBeside}
          placeholder="none"
          width={240}
        />
        <DraftChange
          kind="wire.callers"
          intent={callerIntent(cluster, cell, { methods, paths, callers: [identity, ...beside] })}
          variant="contained"
        >
          Draft the rule
        </DraftChange>
      </div>
    </section>
  )
}
