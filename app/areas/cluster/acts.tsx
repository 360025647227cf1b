/** What can be done with a cluster and its nodes, and what is left of it at its site. */
import Button from '@mui/material/Button'
import { useFetcher } from 'react-router'
import { labelTexts } from '~/core/fleet'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import type { Route } from './+types/cluster'
import { OfMachine } from './of-machine'

type Data = Route.ComponentProps['loaderData']

/** What can be done with the node that was chosen. */
export function NodeActs({
  cluster,
  node,
  reached,
}: {
  readonly cluster: string
  readonly node: Data['nodes'][number]
  readonly reached: boolean
}) {
  return (
    <div className="acts">
      {reached ? null : <OfMachine cluster={cluster} node={node} />}
      <DraftChange kind="node.cordon" intent={{ cluster, node: node.name, open: node.cordoned }}>
        {node.cordoned ? 'Draft opening it' : 'Draft cordoning it'}
      </DraftChange>
      <DraftChange kind="node.drain" intent={{ cluster, nodes: [node.name] }}>
        Draft draining it
      </DraftChange>
      <To path="/shape/board" query={{ aim: `cluster/${cluster}`, node: node.name }}>
        On the board
      </To>
    </div>
  )
}

/** By what the cluster is found and covered, and whether it is guarded; with the draft that changes it. */
export function LabelsAndGuard({
  name,
  labels,
  guarded,
}: Pick<Data, 'name' | 'labels' | 'guarded'>) {
  const words = labelTexts(labels)
  return (
    <div>
      <h3>{guarded ? 'Labels, and guarded' : 'Labels'}</h3>
      <p className={words.length === 0 ? 'soft' : 'mono'}>
        {words.length === 0 ? 'It has none.' : words.join(', ')}
      </p>
      <DraftChange kind="cluster.label" intent={{ cluster: name, labels, guarded }} variant="text">
        Draft others
      </DraftChange>
    </div>
  )
}

/** What bears the cluster’s name at its site and belongs to no cluster. */
export function LeftAtSite({ left }: Pick<Data, 'left'>) {
  if (left.length === 0) return null
  return (
    <div>
      <h3>At its site, owned by no cluster</h3>
      <ul className="facts">
        {left.map((item) => (
          <li key={`${item.kind}${item.name}`}>
            <span>
              {item.kind} <span className="mono">{item.name}</span>
            </span>
            <span className="source">{item.says}</span>
          </li>
        ))}
      </ul>
    </div>
  )
}

export function TakeDown() {
  const fetcher = useFetcher()
  return (
    <div className="acts">
      <Button
        variant="outlined"
        disabled={fetcher.state !== 'idle'}
        onClick={() => void fetcher.submit({ do: 'take-down' }, { method: 'post' })}
      >
        Draft taking it down
      </Button>
    </div>
  )
}
