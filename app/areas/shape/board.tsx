/** The placement board of a cluster, or of objects pasted from anywhere: what stands where, what waits and why, and what if. */
import Button from '@mui/material/Button'
import { useMemo, useState } from 'react'
import { useSearchParams } from 'react-router'
import { clusterOf } from '~/core/fleet'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { BoardReason } from './board-reason'
import { aimedCluster, ShapeTabs } from './tabs'
import { useBoard, type BoardSource } from './use-board'
import { boardText, Laid, useAsked } from './laid-board'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/board'
import { Drop } from '../../kit/drop'
import { Field } from '../../kit/field'
import { Notice } from '../../kit/notice'

export const meta: Route.MetaFunction = () => [{ title: 'Placement · Gyrarch' }]

/** Versions of lists begin anew with each start. */
const bornAt = Date.now()

const asksWhatIf = (request: Request): boolean => new URL(request.url).searchParams.has('if')

/** Where the objects of the board are, as they are now: another address once they are others. */
function boardSource(request: Request, version: string) {
  const { searchParams } = new URL(request.url)
  const query = new URLSearchParams({ aim: searchParams.get('aim') ?? '', version })
  const at = searchParams.get('at')
  if (at !== null) query.set('at', at)
  const asked = query.toString()
  return { url: `/shape/board/objects?${asked}`, placed: `/shape/board/placed?${asked}` }
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const free = new URL(request.url).searchParams.has('free')
  const name = free ? null : aimedCluster(request)
  const view = await fleet.viewWith(name === null ? [] : [name])
  const cluster = name === null ? undefined : clusterOf(view, name)
  const list = name === null ? undefined : view.objects?.[name]
  // Whoever is sent the page asks for the board: it is placed meanwhile.
  if (name !== null && list?.state === 'known' && !asksWhatIf(request))
    gyrarch.judges.board(name, view).catch(() => undefined)
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

type Data = Route.ComponentProps['loaderData']

function titleOf({ cluster, free }: Data): string {
  if (cluster) return `Placement in ${cluster.name}`
  return free ? 'Placement of pasted objects' : 'Placement'
}

/** What the board is laid out from, where that is not known yet. */
function Source({
  data,
  onRead,
}: {
  readonly data: Data
  readonly onRead: (text: string) => void
}) {
  const { cluster, clusters, free } = data
  if (free) return <Paste onRead={onRead} />
  if (cluster)
    return (
      <p className="empty">
        The API of {cluster.name} does not answer, so nothing is known of its pods.
      </p>
    )
  return (
    <>
      <Choose clusters={clusters} />
      <p>
        <To path="/shape/board" query={{ free: 'yes' }}>
          Paste objects instead
        </To>
      </p>
    </>
  )
}

/** On its way while the page wakes up, which finds it there: the board, or its objects where something is asked of it. */
function Preloaded({ source }: { readonly source: BoardSource }) {
  const [search] = useSearchParams()
  if ('pasted' in source) return null
  const href = search.has('if') ? source.url : source.placed
  return <link rel="preload" as="fetch" crossOrigin="anonymous" href={href} />
}

export default function BoardPage({ loaderData }: Route.ComponentProps) {
  const { cluster, free } = loaderData
  const [pasted, setPasted] = useState('')
  const url = cluster?.source?.url ?? null
  const placed = cluster?.source?.placed ?? null
  const source = useMemo<BoardSource | null>(() => {
    if (free) return pasted.trim() === '' ? null : { pasted }
    return url === null || placed === null ? null : { url, placed }
  }, [free, pasted, url, placed])
  const title = titleOf(loaderData)
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
        <Source data={loaderData} onRead={setPasted} />
      </Page>
    )
  }
  return (
    <>
      <Preloaded source={source} />
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
  readonly cluster: Data['cluster']
}) {
  const asked = useAsked()
  const { answer, working } = useBoard(source, asked.whatIfs)
  const board = answer?.board ?? null
  return (
    <Page
      title={title}
      beside={
        <span className="soft" role="status">
          {answer ? boardText(answer, working) : 'placing…'}
        </span>
      }
      reason={
        board ? (
          <BoardReason
            board={board}
            cluster={cluster?.name ?? null}
            node={asked.node}
            workload={asked.workload}
            onAdd={asked.add}
          />
        ) : (
          <p className="soft">Placing what is there…</p>
        )
      }
    >
      <ShapeTabs here="/shape/board" />
      {answer?.says ? <Notice>{answer.says}</Notice> : null}
      {board ? <Laid board={board} working={working} cluster={cluster} asked={asked} /> : null}
    </Page>
  )
}
