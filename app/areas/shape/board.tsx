/** The placement board of a cluster, or of objects pasted from anywhere: what stands where, what waits and why, and what if. */
import Button from '@mui/material/Button'
import { DndContext, PointerSensor, useDroppable, useSensor, useSensors } from '@dnd-kit/core'
import { X } from 'lucide-react'
import { type ReactNode, useMemo, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { clusterOf } from '~/core/fleet'
import type { BoardWaiting, WhatIf } from '~/core/placement'
import { bytesText, coresText, countText, numberText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { PlacementBoard } from '../../drawings/placement-board'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { BoardReason } from './board-reason'
import { aimedCluster, ShapeTabs } from './tabs'
import { useBoard, type BoardSource } from './use-board'
import { changeFor, readWhatIfs, whatIfText, withWhatIf } from './what-ifs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/board'
import { Ask } from './ask'
import { Drop } from '../../kit/drop'
import { Field } from '../../kit/field'
import { Notice } from '../../kit/notice'
import { IconButton } from '../../kit/icon-button'

export const meta: Route.MetaFunction = () => [{ title: 'Placement · Gyrarch' }]

/** Versions of lists begin anew with each start. */
const bornAt = Date.now()

/** Where the objects of the board are, as they are now: another address once they are others. */
function boardSource(request: Request, version: string): string {
  const { searchParams } = new URL(request.url)
  const query = new URLSearchParams({ aim: searchParams.get('aim') ?? '', version })
  const at = searchParams.get('at')
  if (at !== null) query.set('at', at)
  return `/shape/board/objects?${query.toString()}`
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const free = new URL(request.url).searchParams.has('free')
  const name = free ? null : aimedCluster(request)
  const view = await fleet.viewWith(name === null ? [] : [name])
  const cluster = name === null ? undefined : clusterOf(view, name)
  const list = name === null ? undefined : view.objects?.[name]
  return {
    cluster: cluster
      ? {
          name: cluster.name,
          // Thousands of objects are not part of a page: the worker fetches them, anew once they are others.
          source:
            list?.state === 'known' ? boardSource(request, `${bornAt}.${list.version}`) : null,
          pools: cluster.pools.map((pool) => ({ name: pool.name, count: pool.nodes.length })),
        }
      : null,
    free,
    clusters: view.clusters.map((eachCluster) => ({
      name: eachCluster.name,
      site: eachCluster.site,
      nodes: eachCluster.pools.reduce((sum, pool) => sum + pool.nodes.length, 0),
      pods: eachCluster.podCount,
    })),
  }
}

function Choose({
  clusters,
}: {
  readonly clusters: Route.ComponentProps['loaderData']['clusters']
}) {
  return (
    <>
      <p className="soft">
        Point at a cluster to see its pods on its nodes, or paste objects of any cluster.
      </p>
      <Table
        name="clusters"
        columns={[
          {
            name: 'cluster',
            value: (row) => row.name,
            show: (row) => (
              <To path="/shape/board" query={{ aim: `cluster/${row.name}` }} className="mono">
                {row.name}
              </To>
            ),
          },
          { name: 'site', value: (row) => row.site },
          { name: 'nodes', value: (row) => row.nodes, number: true },
          { name: 'pods', value: (row) => row.pods, number: true },
        ]}
        rows={clusters}
        id={(row) => row.name}
        empty="There is no cluster yet."
      />
    </>
  )
}

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

export default function BoardPage({ loaderData }: Route.ComponentProps) {
  const { cluster, clusters, free } = loaderData
  const [pasted, setPasted] = useState('')
  const url = cluster?.source ?? null
  const source = useMemo<BoardSource | null>(() => {
    if (free) return pasted.trim() === '' ? null : { pasted }
    return url === null ? null : { url }
  }, [free, pasted, url])
  let title: string
  if (cluster) title = `Placement in ${cluster.name}`
  else if (free) title = 'Placement of pasted objects'
  else title = 'Placement'
  if (source === null) {
    return (
      <Page
        title={title}
        reason={
          <p className="soft">
            Nodes are columns; pods are blocks in them, to scale. What waits lies in a tray below,
            each with the reason and with remedies that were proven by placing it.
          </p>
        }
      >
        <ShapeTabs here="/shape/board" />
        {free ? (
          <Paste onRead={setPasted} />
        ) : cluster ? (
          <p className="empty">
            The API of {cluster.name} does not answer, so nothing is known of its pods.
          </p>
        ) : (
          <Choose clusters={clusters} />
        )}
        {free || cluster ? null : (
          <p>
            <To path="/shape/board" query={{ free: 'yes' }}>
              Paste objects instead
            </To>
          </p>
        )}
      </Page>
    )
  }
  return (
    <>
      {/* On its way while the page wakes up: the worker finds it there. */}
      {url === null ? null : <link rel="preload" as="fetch" crossOrigin="anonymous" href={url} />}
      <Living key={cluster?.name ?? 'free'} title={title} source={source} cluster={cluster} />
    </>
  )
}

function Paste({ onRead }: { readonly onRead: (text: string) => void }) {
  const [text, setText] = useState('')
  return (
    <div className="board-paste">
      <Drop
        what="file of objects"
        accept={{ 'application/json': ['.json'], 'application/yaml': ['.yaml', '.yml'] }}
        maxBytes={64 * 1024 * 1024}
        onText={onRead}
      />
      <Field
        label="Or paste nodes and pods of any cluster, as JSON or YAML. They stay in this browser."
        mono
        rows={14}
        value={text}
        onChange={setText}
        width="100%"
      />
      <Button variant="contained" disabled={text.trim() === ''} onClick={() => onRead(text)}>
        Lay out
      </Button>
    </div>
  )
}

function Living({
  title,
  source,
  cluster,
}: {
  readonly title: string
  readonly source: BoardSource
  readonly cluster: Route.ComponentProps['loaderData']['cluster']
}) {
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const whatIfText_ = search.get('if')
  const whatIfs = useMemo(() => readWhatIfs(whatIfText_), [whatIfText_])
  const node = search.get('node')
  const workload = search.get('workload')
  const { answer, working } = useBoard(source, whatIfs)
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }))
  const go = (query: Readonly<Record<string, string | null>>): void =>
    void navigate(
      address('/shape/board', {
        if: whatIfText_,
        node,
        workload,
        free: search.get('free'),
        ...query,
      }),
      { preventScrollReset: true, replace: true },
    )
  const setIfs = (
    next: readonly WhatIf[],
    more: Readonly<Record<string, string | null>> = {},
  ): void => go({ if: next.length === 0 ? null : JSON.stringify(next), ...more })
  const add = (whatIf: WhatIf): void => setIfs(withWhatIf(whatIfs, whatIf))
  const board = answer?.board ?? null
  const waits = board?.waiting.reduce((sum, waiting) => sum + waiting.count, 0) ?? 0
  return (
    <Page
      title={title}
      beside={
        <span className="soft" role="status">
          {board
            ? `${countText(board.nodes.length, 'node')} · ${waits === 0 ? 'nothing waits' : `${countText(waits, 'pod')} ${waits === 1 ? 'waits' : 'wait'}`}${board.moves.length > 0 ? ` · ${countText(board.moves.length, 'pod')} placed or moved` : ''}${working ? ' · placing…' : ` · placed in ${numberText(answer?.milliseconds ?? 0)} ms`}`
            : 'placing…'}
        </span>
      }
      reason={
        board ? (
          <BoardReason
            board={board}
            cluster={cluster?.name ?? null}
            node={node}
            workload={workload}
            onAdd={add}
          />
        ) : (
          <p className="soft">Placing what is there…</p>
        )
      }
    >
      <ShapeTabs here="/shape/board" />
      {answer?.says ? <Notice>{answer.says}</Notice> : null}
      {board ? (
        <DndContext
          sensors={sensors}
          onDragEnd={({ active, over }) =>
            over?.id === 'out' && add({ kind: 'drain', node: String(active.id) })
          }
        >
          <div className="board-page" aria-busy={working}>
            <Ask board={board} onAdd={add} />
            <div className="board-legend soft">
              <span>
                left CPU, right memory; a narrow column is CPU alone; the frame is what a node can
                give
              </span>
              <span className="key" data-kind="pod" /> pod{' '}
              <span className="key" data-kind="daemon" /> of a DaemonSet{' '}
              <span className="key" data-kind="moved" /> placed or moved by a what-if
            </div>
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
              {whatIfs.map((whatIf, i) => {
                const change = cluster
                  ? changeFor(whatIf, cluster.name, board, cluster.pools)
                  : null
                return (
                  <span key={JSON.stringify(whatIf)} className="board-if">
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
                    <IconButton
                      says={`Without: ${whatIfText(whatIf)}`}
                      onClick={() => setIfs(whatIfs.filter((_, otherWhatIf) => otherWhatIf !== i))}
                    >
                      <X size={13} aria-hidden />
                    </IconButton>
                  </span>
                )
              })}
            </Out>
            {board.blocked.length > 0 ? (
              <ul className="board-blocked" aria-label="What cannot be moved">
                {board.blocked.map((entry) => (
                  <li key={entry.pod}>
                    <b className="mono">{entry.pod}</b> cannot be moved. {entry.says}
                  </li>
                ))}
              </ul>
            ) : null}
            <Waiting waiting={board.waiting} onTry={add} />
          </div>
        </DndContext>
      ) : null}
    </Page>
  )
}
