/** The board laid out: nodes to look at and to drag out of it, what was asked, what cannot be moved, what waits. */
import Button from '@mui/material/Button'
import { DndContext, PointerSensor, useDroppable, useSensor, useSensors } from '@dnd-kit/core'
import { X } from 'lucide-react'
import { type ReactNode, useMemo } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import type { Board, BoardWaiting, WhatIf } from '~/core/placement'
import { bytesText, coresText, countText, numberText } from '~/core/units'
import type { BoardAnswer } from '~/workers/board.worker'
import { PlacementBoard } from '../../drawings/placement-board'
import { DraftChange } from '../../parts/draft-change'
import { useAddress } from '../../parts/to'
import { IconButton } from '../../kit/icon-button'
import { Ask } from './ask'
import { changeFor, readWhatIfs, whatIfText, withWhatIf } from './what-ifs'
import type { Route } from './+types/board'

function Out({ children }: { readonly children: ReactNode }) {
  const { setNodeRef, isOver } = useDroppable({ id: 'out' })
  return (
    <div ref={setNodeRef} className="board-out" data-over={isOver}>
      {children}
    </div>
  )
}

function Waiting({
  waiting,
  onTry,
}: {
  readonly waiting: readonly BoardWaiting[]
  readonly onTry: (whatIf: WhatIf) => void
}) {
  if (waiting.length === 0) return <p className="soft">No pod waits: every one has a place.</p>
  return (
    <ul className="board-tray" aria-label="Waiting pods">
      {waiting.map((eachWaiting) => (
        <li key={`${eachWaiting.workload}${eachWaiting.pod}`}>
          <p>
            <b className="mono">{eachWaiting.workload.split('/').at(-1)}</b>{' '}
            <span className="soft">
              {eachWaiting.count > 1
                ? countText(eachWaiting.count, 'pod waits', 'pods wait')
                : eachWaiting.pod.split('/')[1]}{' '}
              · {coresText(eachWaiting.cpuMilli)}, {bytesText(eachWaiting.memoryBytes)} each
            </span>
          </p>
          <p>{eachWaiting.says}</p>
          {eachWaiting.remedies.length > 0 ? (
            <p className="acts">
              {eachWaiting.remedies.map((remedy, i) => {
                const whatIf = eachWaiting.tries[i] ?? null
                return whatIf ? (
                  <Button
                    key={remedy.says}
                    variant={i === 0 ? 'contained' : 'outlined'}
                    onClick={() => onTry(whatIf)}
                  >
                    {remedy.says.replaceAll('`', '')}
                  </Button>
                ) : (
                  <span key={remedy.says} className="soft">
                    {remedy.says.replaceAll('`', '')}
                  </span>
                )
              })}
            </p>
          ) : null}
        </li>
      ))}
    </ul>
  )
}

type Query = Readonly<Record<string, string | null>>

/** What is asked and chosen on the board, kept in the address. */
export function useAsked() {
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const text = search.get('if')
  const whatIfs = useMemo(() => readWhatIfs(text), [text])
  const node = search.get('node')
  const workload = search.get('workload')
  const go = (query: Query): void =>
    void navigate(
      address('/shape/board', { if: text, node, workload, free: search.get('free'), ...query }),
      { preventScrollReset: true, replace: true },
    )
  const set = (next: readonly WhatIf[]): void =>
    go({ if: next.length === 0 ? null : JSON.stringify(next) })
  return {
    whatIfs,
    node,
    workload,
    go,
    set,
    add: (whatIf: WhatIf): void => set(withWhatIf(whatIfs, whatIf)),
  }
}

/** How many nodes there are, what waits, what moved, and how long placing took. */
export function boardText({ board, milliseconds }: BoardAnswer, working: boolean): string {
  if (!board) return 'placing…'
  const waits = board.waiting.reduce((sum, waiting) => sum + waiting.count, 0)
  const moved = board.moves.length
  return [
    countText(board.nodes.length, 'node'),
    waits === 0 ? 'nothing waits' : `${countText(waits, 'pod')} ${waits === 1 ? 'waits' : 'wait'}`,
    ...(moved > 0 ? [`${countText(moved, 'pod')} placed or moved`] : []),
    working ? 'placing…' : `placed in ${numberText(milliseconds ?? 0)} ms`,
  ].join(' · ')
}

function Legend() {
  return (
    <div className="board-legend soft">
      <span>
        left CPU, right memory; a narrow column is CPU alone; the frame is what a node can give
      </span>
      <span className="key" data-kind="pod" /> pod <span className="key" data-kind="daemon" /> of a
      DaemonSet <span className="key" data-kind="moved" /> placed or moved by a what-if
    </div>
  )
}

/** A what-if that was asked: what it would be as a change, and the way without it. */
function AskedIf({
  whatIf,
  change,
  onDrop,
}: {
  readonly whatIf: WhatIf
  readonly change: ReturnType<typeof changeFor>
  readonly onDrop: () => void
}) {
  return (
    <span className="board-if">
      {whatIfText(whatIf)}
      {change ? (
        <DraftChange
          kind={change.kind}
          intent={change.intent}
          variant="text"
          title="Make it a draft change"
        >
          Draft
        </DraftChange>
      ) : null}
      <IconButton says={`Without: ${whatIfText(whatIf)}`} onClick={onDrop}>
        <X size={13} aria-hidden />
      </IconButton>
    </span>
  )
}

function Blocked({ blocked }: Pick<Board, 'blocked'>) {
  if (blocked.length === 0) return null
  return (
    <ul className="board-blocked" aria-label="What cannot be moved">
      {blocked.map((entry) => (
        <li key={entry.pod}>
          <b className="mono">{entry.pod}</b> cannot be moved. {entry.says}
        </li>
      ))}
    </ul>
  )
}

/** The board itself: nodes can be dragged out of it, what waits lies below. */
export function Laid({
  board,
  working,
  cluster,
  asked,
}: {
  readonly board: Board
  readonly working: boolean
  readonly cluster: Route.ComponentProps['loaderData']['cluster']
  readonly asked: ReturnType<typeof useAsked>
}) {
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }))
  const { whatIfs, node, workload, go, set, add } = asked
  return (
    <DndContext
      sensors={sensors}
      onDragEnd={({ active, over }) =>
        over?.id === 'out' && add({ kind: 'drain', node: String(active.id) })
      }
    >
      <div className="board-page" aria-busy={working}>
        <Ask board={board} onAdd={add} />
        <Legend />
        <PlacementBoard
          board={board}
          height={300}
          node={node}
          workload={workload}
          onNode={(name) => go({ node: name === node ? null : name, workload: null })}
          onWorkload={(key) => go({ workload: key === workload ? null : key, node: null })}
        />
        <Out>
          {whatIfs.length === 0 ? (
            <span className="soft">Drag the name of a node here to see it drained.</span>
          ) : null}
          {whatIfs.map((whatIf, i) => (
            <AskedIf
              key={JSON.stringify(whatIf)}
              whatIf={whatIf}
              change={cluster ? changeFor(whatIf, cluster.name, board, cluster.pools) : null}
              onDrop={() => set(whatIfs.filter((_, index) => index !== i))}
            />
          ))}
        </Out>
        <Blocked blocked={board.blocked} />
        <Waiting waiting={board.waiting} onTry={add} />
      </div>
    </DndContext>
  )
}
