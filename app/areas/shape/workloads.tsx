/** What runs: workloads of a cluster or of the whole fleet, what is not well first, each with its pods, images, events and logs. */
import { listText } from '~/core/units'
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
import { StateText } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { orRefused } from '../refusals'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/workloads'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { Empty } from '../../kit/empty'
import { WorkloadEvents, WorkloadReason } from './workload-reason'

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
    isReachedOnly: view.clusters.find(({ name }) => name === chosen?.cluster)?.reach !== undefined,
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

type ProbeKind = (typeof probeKinds)[number]

/** What is asked from inside a pod, and of whom. */
function Probe({
  kind,
  onKind,
  target,
  onTarget,
}: {
  readonly kind: ProbeKind
  readonly onKind: (kind: ProbeKind) => void
  /** Null where nobody else is asked. */
  readonly target: string | null
  readonly onTarget: (target: string) => void
}) {
  return (
    <div className="pod-probe">
      <Choice
        label="Probe"
        value={kind}
        width={130}
        options={probeKinds}
        onChange={(picked) =>
          onKind(probeKinds.find((probeKind) => probeKind === picked) ?? 'look-up')
        }
      />
      {target === null ? null : (
        <Field label="Target" mono value={target} onChange={onTarget} width={150} />
      )}
    </div>
  )
}

function Inside({
  cluster,
  pods,
  isReachedOnly,
}: {
  readonly cluster: string
  /** Through its API alone: what its pods write is read, and nothing is put into them. */
  readonly isReachedOnly: boolean
  readonly pods: WorkloadFact['pods']
}) {
  const [pod, setPod] = useState(pods[0]?.key ?? '')
  const [kind, setKind] = useState<ProbeKind>('look-up')
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
      <h3>{isReachedOnly ? 'What it writes' : 'From inside'}</h3>
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
      {isReachedOnly ? (
        <p className="soft">
          Probes are not here: {cluster} is reached through its API alone, and what asks from inside
          a pod would have to be put into it.
        </p>
      ) : (
        <Probe
          kind={kind}
          onKind={setKind}
          target={needsTarget ? target : null}
          onTarget={setTarget}
        />
      )}
      <div className="acts">
        {isReachedOnly ? null : (
          <Button
            variant="outlined"
            disabled={fetcher.state !== 'idle' || pod === ''}
            onClick={() => ask({ do: 'probe', probe: kind, target: needsTarget ? target : '' })}
          >
            Ask
          </Button>
        )}
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

export default function Workloads({ loaderData }: Route.ComponentProps) {
  const { rows, chosen, isReachedOnly, events, revisions, now, silent, more } = loaderData
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
          {silent.length > 0
            ? ` · ${listText(silent)} ${silent.length === 1 ? 'does' : 'do'} not answer`
            : ''}
          {more > 0 ? ` · point at one of ${more} more clusters to see theirs` : ''}
        </span>
      }
      reason={
        chosen ? (
          <>
            <WorkloadReason chosen={chosen} revisions={revisions} now={now} />
            {chosen.pods.length > 0 ? (
              <Inside
                key={chosen.key + chosen.cluster}
                cluster={chosen.cluster}
                pods={chosen.pods}
                isReachedOnly={isReachedOnly}
              />
            ) : null}
            <WorkloadEvents events={events} />
          </>
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
