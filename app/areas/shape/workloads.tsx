/** What runs: workloads of a cluster or of the whole fleet, what is not well first, each with its pods, images, events and logs. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher, useNavigate, useSearchParams } from 'react-router'
import { probeKinds, workloadsIn, type WorkloadFact } from '~/core/fleet'
import { revisionsOf } from '~/core/manifests'
import { podLog, probePod } from '~/server/access/pods'
import { askedForm } from '../asked'
import { acting } from './workloads-asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateText } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { Ago, clockText } from '../../parts/when'
import { orRefused } from '../refusals'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/workloads'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { countText } from '~/core/units'
import { Empty } from '../../kit/empty'

export const meta: Route.MetaFunction = () => [{ title: 'Workloads · Gyrarch' }]

/** Clusters whose workloads are listed without an aim. */
const mostClusters = 12

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const search = new URL(request.url).searchParams
  const aim = aimedCluster(request)
  const names =
    aim === null ? view.clusters.slice(0, mostClusters).map((cluster) => cluster.name) : [aim]
  const rows = (
    await Promise.all(
      names.map(async (cluster) =>
        workloadsIn((await fleet.objectsOf(cluster)) ?? []).map((workload) => ({
          cluster,
          ...workload,
        })),
      ),
    )
  ).flat()
  const wanted = search.get('workload')
  const at = search.get('in') ?? aim
  const chosen = rows.find((row) => row.key === wanted && row.cluster === at) ?? null
  const events = chosen
    ? ((await fleet.eventsOf(chosen.cluster)) ?? [])
        .filter((event) => event.about.includes(`/${chosen.name}`))
        .slice(-20)
        .reverse()
        .map((event) => ({ ...event, at: new Date(event.at).toISOString() }))
    : []
  const revisions =
    chosen?.kind === 'Deployment'
      ? revisionsOf(
          { cluster: chosen.cluster, namespace: chosen.namespace, name: chosen.name },
          await fleet.viewWith([chosen.cluster]),
        ).map(({ template: _template, ...rest }) => rest)
      : []
  return {
    now: view.now,
    rows: rows
      .map(({ pods: _pods, ...row }) => row)
      .sort((a, b) => order[a.state] - order[b.state]),
    chosen,
    events,
    revisions,
    silent: names.filter(
      (name) => !view.clusters.find((cluster) => cluster.name === name)?.apiAnswers,
    ),
    more:
      aim === null && view.clusters.length > mostClusters ? view.clusters.length - mostClusters : 0,
  }
}

const order = { broken: 0, strained: 1, working: 2, well: 3, resting: 4 } as const

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const of = await askedForm(request, acting)
    if (of.do === 'log')
      return { lines: await podLog(gyrarch, of.cluster, of.pod, 60), refused: null }
    const kind = probeKinds.find((probeKind) => probeKind === of.probe)
    if (!kind) return { lines: ['There is no such probe.'], refused: null }
    return {
      ...(await probePod(gyrarch, of.cluster, of.pod, kind, of.target)),
      refused: null,
    }
  })
}

type Row = Route.ComponentProps['loaderData']['rows'][number]

const columns: readonly Column<Row>[] = [
  {
    name: 'workload',
    value: (row) => row.name,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  {
    name: 'state',
    value: (row) => order[row.state],
    show: (row) => <StateText state={row.state} />,
  },
  {
    name: 'ready',
    value: (row) => row.ready,
    show: (row) => (row.kind === 'CronJob' ? '' : `${row.ready} of ${row.wanted}`),
    number: true,
  },
  { name: 'kind', value: (row) => row.kind },
  {
    name: 'namespace',
    value: (row) => row.namespace,
    show: (row) => <span className="mono">{row.namespace}</span>,
  },
  {
    name: 'cluster',
    value: (row) => row.cluster,
    show: (row) => <span className="mono">{row.cluster}</span>,
  },
  { name: 'says', value: (row) => row.says, wraps: true },
]

function Inside({
  cluster,
  pods,
}: {
  readonly cluster: string
  readonly pods: WorkloadFact['pods']
}) {
  const [pod, setPod] = useState(pods[0]?.key ?? '')
  const [kind, setKind] = useState<(typeof probeKinds)[number]>('look-up')
  const [target, setTarget] = useState('dns.platform')
  const fetcher = useFetcher<{
    lines?: readonly string[]
    good?: boolean
    refused?: string | null
  }>()
  const ask = (request: Record<string, string>): void =>
    void fetcher.submit({ cluster, pod, ...request }, { method: 'post' })
  const needsTarget = kind === 'look-up' || kind === 'connect' || kind === 'request'
  return (
    <div className="pod-inside">
      <h3>From inside</h3>
      <Choice
        label="Pod"
        value={pod}
        width={290}
        options={pods.map((podFact) => ({
          value: podFact.key,
          says: podFact.key.split('/')[1] ?? podFact.key,
        }))}
        onChange={setPod}
      />
      <div className="pod-probe">
        <Choice
          label="Probe"
          value={kind}
          width={130}
          options={probeKinds}
          onChange={(picked) =>
            setKind(probeKinds.find((probeKind) => probeKind === picked) ?? 'look-up')
          }
        />
        {needsTarget ? (
          <Field label="Target" mono value={target} onChange={setTarget} width={150} />
        ) : null}
      </div>
      <div className="acts">
        <Button
          variant="outlined"
          disabled={fetcher.state !== 'idle' || pod === ''}
          onClick={() => ask({ do: 'probe', probe: kind, target: needsTarget ? target : '' })}
        >
          Ask
        </Button>
        <Button
          variant="outlined"
          disabled={fetcher.state !== 'idle' || pod === ''}
          onClick={() => ask({ do: 'log' })}
        >
          Log
        </Button>
      </div>
      {fetcher.data ? (
        <pre className="pod-said" role="status" data-good={fetcher.data.good !== false}>
          {fetcher.data.refused ?? ((fetcher.data.lines ?? []).join('\n') || 'nothing written yet')}
        </pre>
      ) : null}
    </div>
  )
}

function Chosen({
  chosen,
  events,
  revisions,
  now,
}: { readonly chosen: NonNullable<Route.ComponentProps['loaderData']['chosen']> } & Pick<
  Route.ComponentProps['loaderData'],
  'events' | 'revisions' | 'now'
>) {
  const { cluster, kind, namespace, name } = chosen
  const rolls = kind === 'Deployment' || kind === 'StatefulSet' || kind === 'DaemonSet'
  return (
    <>
      <h2 className="mono" data-copy={name}>
        {name}
      </h2>
      <p>
        <StateText state={chosen.state}>{chosen.says}</StateText>
      </p>
      <p className="soft">
        {kind} in {namespace} of {cluster}
      </p>
      <h3>Owner to pod to node</h3>
      <ul className="owner-chain">
        {[...new Set(chosen.pods.map((pod) => pod.by))].map((by) => (
          <li key={by ?? 'direct'}>
            {by === null ? null : <span className="mono soft">{by}</span>}
            <ul>
              {chosen.pods
                .filter((pod) => pod.by === by)
                .map((pod) => (
                  <li key={pod.key}>
                    <StateText
                      state={
                        pod.ready || pod.phase === 'Succeeded'
                          ? 'well'
                          : pod.waits
                            ? 'broken'
                            : 'working'
                      }
                    >
                      <span className="mono">{pod.key.split('/')[1]}</span>
                    </StateText>
                    {pod.node === null ? (
                      <span className="soft"> no node</span>
                    ) : (
                      <To path={`/clusters/${cluster}`} query={{ on: pod.node }} className="mono">
                        {' '}
                        {pod.node}
                      </To>
                    )}
                    {pod.startedAt === null ? null : (
                      <span className="soft">
                        {' '}
                        <Ago at={pod.startedAt} now={now} />
                      </span>
                    )}
                    {pod.waits === null ? null : <p>{pod.waits}</p>}
                  </li>
                ))}
            </ul>
          </li>
        ))}
        {chosen.pods.length === 0 ? <li className="soft">It has no pods now.</li> : null}
      </ul>
      <div className="acts">
        {rolls ? (
          <DraftChange kind="workload.restart" intent={{ cluster, kind, namespace, name }}>
            Draft restarting it
          </DraftChange>
        ) : null}
        {revisions.length > 1 ? (
          <DraftChange
            kind="workload.undo"
            intent={{ cluster, kind, namespace, name }}
            variant={
              chosen.state === 'strained' || chosen.state === 'broken' ? 'contained' : 'outlined'
            }
          >
            Draft going back
          </DraftChange>
        ) : null}
        <To path="/shape/manifests" query={{ aim: `cluster/${cluster}`, object: chosen.key }}>
          Manifest
        </To>
        <To path="/shape/board" query={{ aim: `cluster/${cluster}`, workload: chosen.key }}>
          On the board
        </To>
      </div>
      <h3>Images</h3>
      <ul className="facts">
        {[
          ...new Map(
            chosen.pods.flatMap((pod) => pod.images).map((image) => [image.image, image]),
          ).values(),
        ].map((image) => (
          <li key={image.image}>
            <span className="mono" style={{ overflowWrap: 'anywhere' }}>
              {image.image}
            </span>
            <span className="source mono">{image.digest.slice(7, 19) || 'not pulled'}</span>
          </li>
        ))}
      </ul>
      {revisions.length > 0 ? (
        <>
          <h3>Revisions</h3>
          <ul className="facts">
            {[...revisions].reverse().map((revision) => (
              <li key={revision.number}>
                <span>
                  {revision.number}{' '}
                  <span className="mono soft">{revision.image.split('/').at(-1)}</span>
                </span>
                <span className="source">{countText(revision.pods, 'pod')}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      {chosen.pods.length > 0 ? (
        <Inside key={chosen.key + cluster} cluster={cluster} pods={chosen.pods} />
      ) : null}
      {events.length > 0 ? (
        <>
          <h3>Events</h3>
          <ul className="facts">
            {events.map((event, i) => (
              <li key={i}>
                <span>
                  {event.reason} <span className="soft">{event.message}</span>
                </span>
                <span className="source">{clockText(event.at).slice(-8)}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
    </>
  )
}

export default function Workloads({ loaderData }: Route.ComponentProps) {
  const { rows, chosen, events, revisions, now, silent, more } = loaderData
  const navigate = useNavigate()
  const address = useAddress()
  const [search] = useSearchParams()
  const bad = rows.filter((row) => row.state === 'broken' || row.state === 'strained').length
  return (
    <Page
      title={
        search.get('aim')?.startsWith('cluster/') === true
          ? `Workloads of ${search.get('aim')?.slice(8) ?? ''}`
          : 'Workloads of the fleet'
      }
      beside={
        <span className="soft">
          {bad === 0 ? 'all are well' : `${bad} not well`}
          {silent.length > 0 ? ` · ${silent.join(', ')} does not answer` : ''}
          {more > 0 ? ` · point at one of ${more} more clusters to see theirs` : ''}
        </span>
      }
      reason={
        chosen ? (
          <Chosen chosen={chosen} events={events} revisions={revisions} now={now} />
        ) : (
          <p className="soft">
            Choose a workload to see its pods and nodes, what it waits for, its revisions, events
            and log, and to ask one of its pods from inside.
          </p>
        )
      }
    >
      <ShapeTabs here="/shape/workloads" />
      <Table
        name="workloads"
        columns={columns}
        rows={rows}
        id={(row) => `${row.cluster} ${row.key}`}
        selected={chosen ? `${chosen.cluster} ${chosen.key}` : null}
        onSelect={(row) =>
          void navigate(address('/shape/workloads', { workload: row.key, in: row.cluster }), {
            preventScrollReset: true,
          })
        }
        empty={
          <Empty
            title="Nothing runs here"
            first={<To path="/shape/manifests">Write a manifest</To>}
          >
            Workloads are told here with what each asks for, has and lacks, down to the pod and the
            node it is on.
          </Empty>
        }
      />
    </Page>
  )
}
