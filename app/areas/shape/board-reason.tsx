/** What is chosen on the board: a node with what it gives, a workload with what it asks, or the cluster’s room as a whole. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { type Board, type BoardNode, type BoardWorkload, type WhatIf } from '~/core/placement'
import { bytesText, coresText, countText, numberText } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'
import { Field } from '../../kit/field'

interface Props {
  readonly board: Board
  readonly cluster: string | null
  readonly onAdd: (whatIf: WhatIf) => void
}

const Fact = ({ name, says }: { readonly name: string; readonly says: string }) => (
  <div>
    <dt>{name}</dt>
    <dd>{says}</dd>
  </div>
)

function NodeReason({ node, cluster, onAdd }: { readonly node: BoardNode } & Props) {
  return (
    <>
      <h2 className="mono" data-copy={node.name}>
        {node.name}
      </h2>
      <dl className="facts">
        <Fact
          name="pool, zone"
          says={[node.pool, node.zone].filter(Boolean).join(', ') || 'none named'}
        />
        {node.size === '' ? null : <Fact name="size" says={node.size} />}
        <Fact
          name="CPU asked for"
          says={`${coresText(node.cpuUsed)} of ${coresText(node.cpuMilli)}`}
        />
        <Fact name="CPU free" says={`${numberText(node.cpuMilli - node.cpuUsed)} m`} />
        <Fact
          name="memory asked for"
          says={`${bytesText(node.memoryUsed)} of ${bytesText(node.memoryBytes)}`}
        />
        <Fact
          name="pods"
          says={`${node.pods.length}${node.podLimit === null ? '' : ` of ${node.podLimit}`}`}
        />
        {node.taints.length > 0 ? <Fact name="taints" says={node.taints.join(', ')} /> : null}
        {node.cordoned ? <Fact name="new pods" says="none, it is cordoned" /> : null}
      </dl>
      {node.fate === 'stands' ? (
        <div className="acts">
          <Button variant="contained" onClick={() => onAdd({ kind: 'drain', node: node.name })}>
            Try draining it
          </Button>
          <Button
            variant="outlined"
            onClick={() => onAdd({ kind: 'loss', label: 'name', value: node.name })}
          >
            Try losing it
          </Button>
          {cluster === null ? null : (
            <>
              <DraftChange
                kind="node.cordon"
                intent={{ cluster, node: node.name, open: node.cordoned }}
              >
                {node.cordoned ? 'Draft opening it' : 'Draft cordoning it'}
              </DraftChange>
              <DraftChange kind="node.drain" intent={{ cluster, nodes: [node.name] }}>
                Draft draining it
              </DraftChange>
            </>
          )}
        </div>
      ) : null}
      <h3>Pods</h3>
      <ul className="facts">
        {node.pods.map((pod) => (
          <li key={pod.key}>
            <span className="mono">{pod.key}</span>
            <span className="source">
              {numberText(pod.cpuMilli)} m, {bytesText(pod.memoryBytes)}
            </span>
          </li>
        ))}
      </ul>
    </>
  )
}

function Request({
  workload,
  container,
  resource,
  now,
  onAdd,
}: {
  readonly workload: string
  readonly container: string
  readonly resource: 'cpu' | 'memory'
  readonly now: string | null
} & Pick<Props, 'onAdd'>) {
  const [amount, setAmount] = useState(now ?? '')
  const isQuantity = /^\d+(\.\d+)?(m|[kMGTPE]i?)?$/.test(amount)
  return (
    <form
      className="board-request"
      onSubmit={(event) => {
        event.preventDefault()
        if (isQuantity) onAdd({ kind: 'request', workload, container, resource, amount })
      }}
    >
      <Field
        label={`${resource} of ${container}`}
        mono
        value={amount}
        onChange={setAmount}
        width={170}
        error={amount === '' || isQuantity ? null : 'Write it like 500m or 2Gi.'}
      />
      <Button type="submit" variant="outlined" disabled={!isQuantity || amount === now}>
        Try
      </Button>
    </form>
  )
}

type PlacedPod = BoardNode['pods'][number] & { readonly node: string }

/** Where a pod was before the what-ifs, if it has moved. */
function movedText({ from }: PlacedPod): string {
  if (from === undefined) return ''
  return from === null ? ', new' : `, was on ${from}`
}

function Whereabouts({
  pods,
  waiting,
}: {
  readonly pods: readonly PlacedPod[]
  readonly waiting: Board['waiting']
}) {
  return (
    <>
      <h3>Where they are</h3>
      <ul className="facts">
        {pods.map((pod) => (
          <li key={pod.key}>
            <span className="mono">{pod.key.split('/')[1]}</span>
            <span className="source">
              {pod.node}
              {movedText(pod)}
            </span>
          </li>
        ))}
        {waiting.map(({ pod, count }) => (
          <li key={pod}>
            <span className="mono">{pod.split('/')[1]}</span>
            <span className="source">waits{count > 1 ? `, with ${count - 1} like it` : ''}</span>
          </li>
        ))}
      </ul>
    </>
  )
}

function WorkloadReason({ workload, board, onAdd }: { readonly workload: BoardWorkload } & Props) {
  const { key } = workload
  const [kind = '', namespace = '', name = ''] = key.split('/')
  const pods = board.nodes.flatMap((node) =>
    node.pods.filter((pod) => pod.workload === key).map((pod) => ({ ...pod, node: node.name })),
  )
  const waiting = board.waiting.filter((candidate) => candidate.workload === key)
  const wanted = pods.length + waiting.reduce((sum, { count }) => sum + count, 0)
  const scaleTo = (count: number): void => onAdd({ kind: 'replicas', workload: key, count })
  return (
    <>
      <h2 className="mono" data-copy={name}>
        {name}
      </h2>
      <p className="soft">
        {kind} in {namespace} · {countText(workload.pods, 'pod')} now
      </p>
      <h3>What its pods ask for</h3>
      {workload.containers.map((container) => (
        <div key={container.name}>
          {(['cpu', 'memory'] as const).map((resource) => (
            <Request
              key={`${resource}${key}${container.name}`}
              workload={key}
              container={container.name}
              resource={resource}
              now={container[resource]}
              onAdd={onAdd}
            />
          ))}
        </div>
      ))}
      {kind === 'Deployment' || kind === 'StatefulSet' ? (
        <div className="acts">
          <Button variant="contained" onClick={() => scaleTo(wanted + 1)}>
            Try one more
          </Button>
          <Button
            variant="outlined"
            disabled={pods.length === 0}
            onClick={() => scaleTo(Math.max(0, pods.length - 1))}
          >
            Try one less
          </Button>
        </div>
      ) : null}
      <Whereabouts pods={pods} waiting={waiting} />
    </>
  )
}

/** Room left, and in units of what is largest. */
function Room({ board }: Props) {
  const workers = board.nodes.filter((node) => node.fate === 'stands' || node.fate === 'new')
  const sum = (of: (node: BoardNode) => number): number =>
    workers.reduce((total, node) => total + of(node), 0)
  const waiting = board.waiting
  return (
    <>
      <h2>Room</h2>
      <dl className="facts">
        <Fact
          name="CPU asked for"
          says={`${numberText(sum((node) => node.cpuUsed) / 1000, 1)} of ${coresText(sum((node) => node.cpuMilli))}`}
        />
        <Fact
          name="memory asked for"
          says={`${bytesText(sum((node) => node.memoryUsed))} of ${bytesText(sum((node) => node.memoryBytes))}`}
        />
        <Fact
          name="most CPU free on one node"
          says={`${numberText(Math.max(0, ...workers.map((node) => node.cpuMilli - node.cpuUsed)))} m`}
        />
        <Fact name="pods" says={`${sum((node) => node.pods.length)}`} />
      </dl>
      {waiting.length > 0 ? <p>{waiting[0]?.says}</p> : null}
      <p className="soft">
        Choose a node by its name below its column, or a workload by one of its blocks. Drag a name
        into the tray to see the node drained.
      </p>
    </>
  )
}

export function BoardReason({
  node: nodeName,
  workload: key,
  ...props
}: Props & { readonly node: string | null; readonly workload: string | null }) {
  const node = props.board.nodes.find((node) => node.name === nodeName)
  if (node) return <NodeReason node={node} {...props} />
  const workload = props.board.workloads.find((workload) => workload.key === key)
  return workload ? (
    <WorkloadReason key={workload.key} workload={workload} {...props} />
  ) : (
    <Room {...props} />
  )
}
