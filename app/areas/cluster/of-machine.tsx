/** What can be done about the machine of a node. */
import type { State } from '~/core/fleet'
import { DraftChange } from '../../parts/draft-change'

export function OfMachine({
  cluster,
  node,
}: {
  readonly cluster: string
  readonly node: { readonly name: string; readonly state: State }
}) {
  return (
    <>
      <DraftChange
        kind="machine.restart"
        intent={{ cluster, node: node.name }}
        variant={node.state === 'broken' ? 'contained' : 'outlined'}
      >
        Draft restarting it
      </DraftChange>
      <DraftChange kind="machine.replace" intent={{ cluster, node: node.name }}>
        Draft replacing its machine
      </DraftChange>
    </>
  )
}
